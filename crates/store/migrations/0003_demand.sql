-- Interval history, imports on their way to it, and the forecast made from it.
-- No foreign key: checking a million rows of an import one by one takes longer than all the rest of
-- it. Whoever removes a contact type removes its history in the same transaction.
CREATE TABLE history (
    contact_type_id uuid NOT NULL,
    interval_start  timestamptz NOT NULL,
    offered         integer NOT NULL CHECK (offered >= 0),
    answered        integer NOT NULL CHECK (answered >= 0),
    abandoned       integer NOT NULL CHECK (abandoned >= 0),
    handle_secs     double precision CHECK (handle_secs > 0),
    PRIMARY KEY (contact_type_id, interval_start),
    CHECK (answered + abandoned <= offered)
);

CREATE TABLE imports (
    id         uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    -- Stands in for the key in import_rows, which has many rows.
    number     integer GENERATED ALWAYS AS IDENTITY UNIQUE,
    centre_id  uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    file_name  text NOT NULL,
    created_by uuid NOT NULL REFERENCES users,
    created_at timestamptz NOT NULL DEFAULT now(),
    rows_read  bigint NOT NULL DEFAULT 0,
    refused    bigint NOT NULL DEFAULT 0,
    state      text NOT NULL DEFAULT 'reading'
        CHECK (state IN ('reading', 'preview', 'saved', 'discarded'))
);

-- What an import would do to each contact type, worked out once when the file was read.
CREATE TABLE import_types (
    import_id       uuid NOT NULL REFERENCES imports ON DELETE CASCADE,
    type_number     smallint NOT NULL,
    name            text NOT NULL,
    -- The contact type of this name when the file was read; none where it would be new.
    contact_type_id uuid REFERENCES contact_types ON DELETE CASCADE,
    file_minutes    smallint NOT NULL,
    kept_minutes    smallint NOT NULL,
    added           bigint NOT NULL DEFAULT 0,
    replaced        bigint NOT NULL DEFAULT 0,
    unchanged       bigint NOT NULL DEFAULT 0,
    missing         bigint NOT NULL DEFAULT 0,
    first_start     timestamptz,
    last_start      timestamptz,
    PRIMARY KEY (import_id, type_number)
);

-- Rows of a preview. Nothing is lost when a crash empties this table: the file is uploaded again.
CREATE UNLOGGED TABLE import_rows (
    import_number  integer NOT NULL,
    type_number    smallint NOT NULL,
    row_number     bigint NOT NULL,
    interval_start timestamptz NOT NULL,
    offered        integer NOT NULL,
    answered       integer NOT NULL,
    abandoned      integer NOT NULL,
    handle_secs    double precision
);

CREATE TABLE import_refusals (
    import_id  uuid NOT NULL REFERENCES imports ON DELETE CASCADE,
    row_number bigint NOT NULL,
    field      text NOT NULL,
    reason     text NOT NULL
);
CREATE INDEX import_refusals_import ON import_refusals (import_id, row_number);

CREATE TABLE forecasts (
    contact_type_id uuid PRIMARY KEY REFERENCES contact_types ON DELETE CASCADE,
    made_at         timestamptz NOT NULL DEFAULT now(),
    history_days    integer NOT NULL,
    first_day       date NOT NULL,
    backtest        jsonb,
    failure         text
);

CREATE TABLE forecast_intervals (
    contact_type_id uuid NOT NULL REFERENCES contact_types ON DELETE CASCADE,
    interval_start  timestamptz NOT NULL,
    contacts        double precision NOT NULL,
    handle_secs     double precision NOT NULL,
    PRIMARY KEY (contact_type_id, interval_start)
);
