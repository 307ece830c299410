-- What was done on a day to help, with what it was said to do.
CREATE TABLE interventions (
    id         uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    centre_id  uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    -- By the switch's clock.
    done_at    timestamptz NOT NULL,
    done_by    uuid REFERENCES users ON DELETE SET NULL,
    help       jsonb NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX interventions_by_time ON interventions (centre_id, done_at);
