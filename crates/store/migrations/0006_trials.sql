-- Trials and the change sheets that rest on them. `inputs` and `result` are JSON forms of
-- crates/plan (TrialInputs, TrialResult); a finished trial never changes.
CREATE TABLE trials (
    id                  uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    contact_type_id     uuid NOT NULL REFERENCES contact_types ON DELETE CASCADE,
    strategy_version_id uuid NOT NULL REFERENCES strategy_versions ON DELETE CASCADE,
    day                 date NOT NULL,
    cover_words         text NOT NULL,
    inputs              jsonb NOT NULL,
    state               text NOT NULL DEFAULT 'queued'
        CHECK (state IN ('queued', 'running', 'done', 'cancelled', 'failed')),
    played              integer NOT NULL DEFAULT 0,
    cancel_requested    boolean NOT NULL DEFAULT false,
    result              jsonb,
    failure             text,
    created_by          uuid REFERENCES users,
    created_at          timestamptz NOT NULL DEFAULT now(),
    finished_at         timestamptz
);
CREATE INDEX trials_newest ON trials (created_at DESC);

CREATE TABLE go_lives (
    id                  uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    strategy_version_id uuid NOT NULL REFERENCES strategy_versions ON DELETE CASCADE,
    trial_id            uuid REFERENCES trials ON DELETE SET NULL,
    approved_by         uuid REFERENCES users,
    approved_at         timestamptz NOT NULL DEFAULT now(),
    note                text NOT NULL
);
