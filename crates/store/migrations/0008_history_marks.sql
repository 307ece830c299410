-- What a planner has decided about stretches of history: left out, scaled, or found to be right.
-- Times are wall-clock times of the centre, until before `until_time`.
CREATE TABLE history_marks (
    id              uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    contact_type_id uuid NOT NULL REFERENCES contact_types ON DELETE CASCADE,
    from_time       timestamp NOT NULL,
    until_time      timestamp NOT NULL,
    finding         text NOT NULL,
    -- The JSON form of the treatment (crates/forecast, Treatment); none when the stretch stays.
    treatment       jsonb,
    why             text NOT NULL,
    created_by      uuid REFERENCES users,
    created_at      timestamptz NOT NULL DEFAULT now(),
    CHECK (from_time < until_time)
);
CREATE INDEX history_marks_type ON history_marks (contact_type_id, from_time);
