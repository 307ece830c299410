-- Forecasts as they were when a planner froze them: immutable, a row each, intervals as arrays.
CREATE TABLE frozen_forecasts (
    id              uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    contact_type_id uuid NOT NULL REFERENCES contact_types ON DELETE CASCADE,
    name            text NOT NULL,
    first_day       date NOT NULL,
    method          text,
    interval_wape   double precision,
    uncertainty     jsonb,
    frozen_by       uuid REFERENCES users,
    frozen_at       timestamptz NOT NULL DEFAULT now(),
    starts          timestamptz[] NOT NULL,
    contacts        double precision[] NOT NULL,
    handle_secs     double precision[] NOT NULL,
    p10             double precision[] NOT NULL,
    p90             double precision[] NOT NULL
);
CREATE UNIQUE INDEX frozen_forecasts_name ON frozen_forecasts (contact_type_id, lower(name));
