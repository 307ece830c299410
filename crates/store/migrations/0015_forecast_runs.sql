-- Making all forecasts of a centre anew, as a job with progress.
CREATE TABLE forecast_runs (
    id         uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    centre_id  uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    total      integer NOT NULL,
    done       integer NOT NULL DEFAULT 0,
    state      text NOT NULL DEFAULT 'waiting'
        CHECK (state IN ('waiting', 'running', 'done', 'cancelled', 'failed')),
    created_by uuid REFERENCES users,
    created_at timestamptz NOT NULL DEFAULT now()
);
