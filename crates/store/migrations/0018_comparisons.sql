-- Candidates held against each other on the same customers. `inputs` and `result` are JSON forms of
-- crates/plan (ComparisonInputs, ComparisonResult); a finished comparison never changes.
CREATE TABLE comparisons (
    id               uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    contact_type_id  uuid NOT NULL REFERENCES contact_types ON DELETE CASCADE,
    day              date NOT NULL,
    title            text NOT NULL,
    inputs           jsonb NOT NULL,
    state            text NOT NULL DEFAULT 'queued'
        CHECK (state IN ('queued', 'running', 'done', 'cancelled', 'failed')),
    progress         double precision NOT NULL DEFAULT 0,
    started_at       timestamptz,
    cancel_requested boolean NOT NULL DEFAULT false,
    result           jsonb,
    failure          text,
    created_by       uuid REFERENCES users,
    created_at       timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX comparisons_newest ON comparisons (created_at DESC);
