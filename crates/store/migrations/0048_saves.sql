-- How often each thing that people edit was saved, and by whom last: a save says what it was based on. A contact
-- type that is not used any more is archived, with everything that belongs to it.
CREATE TABLE saves (
    -- targets, cover, method: of a contact type; lines, evidence: of a centre; alarm; report; person.
    what       text NOT NULL,
    id         uuid NOT NULL,
    version    bigint NOT NULL,
    changed_by uuid REFERENCES users ON DELETE SET NULL,
    changed_at timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (what, id)
);

ALTER TABLE contact_types
    ADD COLUMN archived_at timestamptz,
    ADD COLUMN archived_by uuid REFERENCES users ON DELETE SET NULL;
