-- Special days of a centre. Ends the time in which a holiday looked like any other day.
-- `repeats` is the JSON form of the rule (crates/forecast, Repeats).
CREATE TABLE special_days (
    id          uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    centre_id   uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    name        text NOT NULL,
    class       text NOT NULL,
    repeats     jsonb NOT NULL,
    -- Days before and after that belong to it, each with an effect of its own.
    days_before smallint NOT NULL DEFAULT 0 CHECK (days_before BETWEEN 0 AND 14),
    days_after  smallint NOT NULL DEFAULT 0 CHECK (days_after BETWEEN 0 AND 14),
    closed      boolean NOT NULL DEFAULT false,
    -- The effect that the planner knows better; none to learn it from history.
    factor      double precision CHECK (factor > 0),
    source      text NOT NULL,
    created_by  uuid REFERENCES users,
    created_at  timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX special_days_centre ON special_days (centre_id, name);
