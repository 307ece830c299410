-- A draft is a strategy that is being changed: revisions, each made of the one before it by one edit.
-- `head` is the one that is open; undo moves it back to its parent, redo forward again. A version is
-- kept from a revision, may have a label, and never changes.
CREATE TABLE drafts (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  centre_id uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
  number integer NOT NULL,
  name text NOT NULL,
  -- The version that it began from; 0 for none.
  based_on integer NOT NULL,
  head integer NOT NULL DEFAULT 0,
  created_by uuid REFERENCES users,
  created_at timestamptz NOT NULL DEFAULT now(),
  thrown_away_at timestamptz,
  UNIQUE (centre_id, number)
);

CREATE TABLE draft_revisions (
  draft_id uuid NOT NULL REFERENCES drafts ON DELETE CASCADE,
  revision integer NOT NULL,
  -- The revision that it was made of; none for the one that the draft began with.
  parent integer,
  edit jsonb,
  summary text NOT NULL DEFAULT '',
  body jsonb NOT NULL,
  made_by uuid REFERENCES users,
  made_at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (draft_id, revision)
);

ALTER TABLE strategy_versions
  ADD COLUMN label text NOT NULL DEFAULT '',
  ADD COLUMN draft_id uuid REFERENCES drafts ON DELETE SET NULL,
  ADD COLUMN draft_revision integer;
CREATE INDEX strategy_versions_of_draft ON strategy_versions (draft_id, draft_revision);
