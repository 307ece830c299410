-- Documents and pictures that a browser beside a worker draws for one person.
CREATE TABLE drawings (
    id        uuid PRIMARY KEY REFERENCES runs ON DELETE CASCADE,
    centre_id uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    -- Nobody else sees it: rights differ, and so does what a page says.
    user_id   uuid NOT NULL REFERENCES users ON DELETE CASCADE,
    -- SHA-256 of what is drawn and as what.
    digest    bytea NOT NULL,
    kind      text NOT NULL CHECK (kind IN ('document', 'bitmap')),
    -- The web page that is drawn; none once it is.
    page      text,
    -- What the file is called, and the page that it was asked for on.
    name      text NOT NULL,
    address   text NOT NULL,
    bytes     bytea,
    UNIQUE (user_id, digest)
);

ALTER TABLE runs DROP CONSTRAINT runs_kind_check;
ALTER TABLE runs ADD CONSTRAINT runs_kind_check
    CHECK (kind IN ('trial', 'comparison', 'shifts', 'forecasts', 'account', 'search', 'report', 'answer', 'drawing'));
