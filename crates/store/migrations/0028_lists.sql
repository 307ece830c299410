-- Lists of people to call, and of numbers that must not be called. They are uploaded and read like
-- history, and are imports of another subject.
ALTER TABLE imports
    ADD COLUMN subject text NOT NULL DEFAULT 'history'
        CHECK (subject IN ('history', 'people', 'do_not_call')),
    ADD COLUMN list_name text,
    ADD COLUMN list_layout jsonb,
    ADD CHECK ((subject = 'history') = (list_name IS NULL));

-- The people of a list, from the moment it was read; numbers alone where they must not be called.
CREATE TABLE list_people (
    import_number   integer NOT NULL REFERENCES imports (number) ON DELETE CASCADE,
    -- With the country code, as digits.
    number          bigint NOT NULL CHECK (number > 0),
    zone            text,
    is_zone_guessed boolean,
    priority        smallint,
    language        text,
    -- Preferred hours, in minutes of the person's day.
    hours_from      smallint,
    hours_until     smallint,
    attempts        smallint,
    attributes      jsonb,
    PRIMARY KEY (import_number, number)
);

-- Numbers that no campaign of a centre calls, whatever list they stand in.
CREATE TABLE do_not_call (
    centre_id     uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    number        bigint NOT NULL CHECK (number > 0),
    -- The file that it stood in; none where somebody entered it.
    import_number integer REFERENCES imports (number) ON DELETE CASCADE,
    added_by      uuid REFERENCES users ON DELETE SET NULL,
    added_at      timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (centre_id, number)
);
CREATE INDEX do_not_call_import ON do_not_call (import_number);

-- The table of time zones by prefix that a centre uses in the place of the one that ships.
CREATE TABLE number_prefixes (
    centre_id   uuid PRIMARY KEY REFERENCES centres ON DELETE CASCADE,
    csv         text NOT NULL,
    replaced_by uuid REFERENCES users ON DELETE SET NULL,
    replaced_at timestamptz NOT NULL DEFAULT now()
);
