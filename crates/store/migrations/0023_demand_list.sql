-- What the list of contact types shows of a forecast, so that it need not be read whole; and from now on
-- bands are kept without overlays. Forecasts are made again at the next start.
ALTER TABLE forecasts
    ADD COLUMN interval_wape double precision,
    ADD COLUMN naive_wape    double precision;
DELETE FROM forecasts;
