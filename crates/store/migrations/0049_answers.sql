-- Questions that take longer than a page may, each answered once by a worker. Each is a run.
CREATE TABLE answers (
    id        uuid PRIMARY KEY REFERENCES runs ON DELETE CASCADE,
    centre_id uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    -- SHA-256 of the question's text.
    digest    bytea NOT NULL,
    -- JSON forms of crates/plan, Question and Answer.
    question  json NOT NULL,
    answer    json,
    -- The page that asked.
    address   text NOT NULL,
    UNIQUE (centre_id, digest)
);

ALTER TABLE runs DROP CONSTRAINT runs_kind_check;
ALTER TABLE runs ADD CONSTRAINT runs_kind_check
    CHECK (kind IN ('trial', 'comparison', 'shifts', 'forecasts', 'account', 'search', 'report', 'answer'));
