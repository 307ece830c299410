-- Releases are numbered in the order in which they went live: the switch takes none with a lower number than the
-- one that is live there.
ALTER TABLE go_lives ADD COLUMN number integer GENERATED ALWAYS AS IDENTITY;
ALTER TABLE go_lives ADD CONSTRAINT go_lives_number UNIQUE (number);

-- What the switch has said of a release; nothing until it was told.
CREATE TABLE go_live_answers (
    number      integer PRIMARY KEY REFERENCES go_lives (number) ON DELETE CASCADE,
    -- When the switch had it, by the switch's clock; none where it was refused.
    live_since  timestamptz,
    refusal     text,
    answered_at timestamptz NOT NULL DEFAULT now(),
    CHECK ((live_since IS NULL) <> (refusal IS NULL))
);

-- Intervals as the switch has told them, each once.
CREATE TABLE switch_intervals (
    switch       text NOT NULL,
    sequence     bigint NOT NULL,
    centre_id    uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    contact_type text NOT NULL,
    started_at   timestamptz NOT NULL,
    secs         double precision NOT NULL,
    offered      integer NOT NULL,
    answered     integer NOT NULL,
    in_time      integer NOT NULL,
    abandoned    integer NOT NULL,
    elsewhere    integer NOT NULL,
    wait_secs    double precision NOT NULL,
    handled      integer NOT NULL,
    handle_secs  double precision NOT NULL,
    outage       boolean NOT NULL,
    PRIMARY KEY (switch, sequence)
);
CREATE INDEX switch_intervals_by_time ON switch_intervals (centre_id, started_at);
