-- How fast contacts were answered, where it was measured: reports of the past tell service levels and speed of
-- answer, not only abandonment.
ALTER TABLE history ADD COLUMN in_time integer CHECK (in_time BETWEEN 0 AND answered);
ALTER TABLE history ADD COLUMN wait_secs double precision CHECK (wait_secs >= 0);
ALTER TABLE replaced_history ADD COLUMN in_time integer;
ALTER TABLE replaced_history ADD COLUMN wait_secs double precision;
