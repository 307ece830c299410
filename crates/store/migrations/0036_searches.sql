-- Searches for the cheapest design of days. Each is a run; its work is counted in simulated days.
CREATE TABLE searches (
    id            uuid PRIMARY KEY REFERENCES runs ON DELETE CASCADE,
    centre_id     uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    -- What it is about: contact types, their name in words, first day, number of days.
    contact_types uuid[] NOT NULL,
    subject       text NOT NULL,
    day           date NOT NULL,
    days          integer NOT NULL,
    title         text NOT NULL,
    -- The version of the strategy that it began from.
    strategy_version_id uuid NOT NULL REFERENCES strategy_versions ON DELETE CASCADE,
    -- JSON forms of crates/search: Question and, when done, Answer.
    question      jsonb NOT NULL,
    answer        jsonb,
    -- How far it has come.
    phase         text,
    best_cost     double precision,
    -- A person wants the best so far.
    enough        boolean NOT NULL DEFAULT false
);

ALTER TABLE runs DROP CONSTRAINT runs_kind_check;
ALTER TABLE runs ADD CONSTRAINT runs_kind_check
    CHECK (kind IN ('trial', 'comparison', 'shifts', 'forecasts', 'account', 'search'));
