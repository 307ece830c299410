-- Wrap-up apart from talk, where it is known: mean seconds for an answered contact, a part of its handle time.
ALTER TABLE history ADD COLUMN wrap_up_secs double precision CHECK (wrap_up_secs >= 0);
ALTER TABLE replaced_history ADD COLUMN wrap_up_secs double precision;
ALTER TABLE import_rows ADD COLUMN wrap_up_secs double precision;
-- What a switch tells, for all contacts of an interval together.
ALTER TABLE switch_intervals ADD COLUMN wrap_up_secs double precision;
