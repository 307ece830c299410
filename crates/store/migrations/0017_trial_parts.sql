-- A trial is played in parts, each a job of its own, so that several workers share one trial and a
-- killed one loses a part at most. A part is a compact binary form of crates/simulate (Summary);
-- when all are there they are merged, in order, into the trial's own summary and removed.
CREATE TABLE trial_parts (
    trial_id     uuid NOT NULL REFERENCES trials ON DELETE CASCADE,
    part         integer NOT NULL,
    replications integer NOT NULL,
    summary      bytea NOT NULL,
    PRIMARY KEY (trial_id, part)
);
ALTER TABLE trials
    ADD COLUMN started_at timestamptz,
    ADD COLUMN summary    bytea;
