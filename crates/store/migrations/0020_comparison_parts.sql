-- A comparison is played in parts, as trials are: replications of all candidates, or the volume at
-- which one of them breaks. A part is a compact binary form of crates/plan (ComparisonPart); when all
-- are there they become the result and are removed.
CREATE TABLE comparison_parts (
    comparison_id uuid NOT NULL REFERENCES comparisons ON DELETE CASCADE,
    part          integer NOT NULL,
    summary       bytea NOT NULL,
    PRIMARY KEY (comparison_id, part)
);
