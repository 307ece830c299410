-- Forecasts with bands, their method and what they are made of. Forecasts are made from history, so
-- the ones without bands are thrown away and made anew by the next `serve`.
DELETE FROM forecast_intervals;
DELETE FROM forecasts;

ALTER TABLE forecasts
    ADD COLUMN method text,
    ADD COLUMN uncertainty jsonb,
    ADD COLUMN effects jsonb NOT NULL DEFAULT '[]';

-- `base` is what the method says, `contacts` what is expected with the overlays.
ALTER TABLE forecast_intervals
    ADD COLUMN base double precision NOT NULL,
    ADD COLUMN p2_5 double precision NOT NULL,
    ADD COLUMN p10 double precision NOT NULL,
    ADD COLUMN p90 double precision NOT NULL,
    ADD COLUMN p97_5 double precision NOT NULL;

CREATE TABLE forecast_days (
    contact_type_id uuid NOT NULL REFERENCES contact_types ON DELETE CASCADE,
    day             date NOT NULL,
    base            double precision NOT NULL,
    contacts        double precision NOT NULL,
    p2_5            double precision NOT NULL,
    p10             double precision NOT NULL,
    p90             double precision NOT NULL,
    p97_5           double precision NOT NULL,
    level           double precision NOT NULL,
    drift           double precision NOT NULL,
    weekday         double precision NOT NULL,
    special         double precision NOT NULL,
    PRIMARY KEY (contact_type_id, day)
);
