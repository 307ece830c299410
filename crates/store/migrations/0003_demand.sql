-- Interval history, imports on their way to it, and the forecast made from it.
CREATE TABLE history (
    contact_type_id uuid NOT NULL REFERENCES contact_types ON DELETE CASCADE,
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
    centre_id  uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    file_name  text NOT NULL,
    created_by uuid NOT NULL REFERENCES users,
    created_at timestamptz NOT NULL DEFAULT now(),
    rows_read  bigint NOT NULL DEFAULT 0,
    refused    bigint NOT NULL DEFAULT 0,
    state      text NOT NULL DEFAULT 'reading'
        CHECK (state IN ('reading', 'preview', 'saved', 'discarded'))
);

-- Rows of a preview. Nothing is lost when a crash empties this table: the file is uploaded again.
CREATE UNLOGGED TABLE import_rows (
    import_id      uuid NOT NULL,
    row_number     bigint NOT NULL,
    contact_type   text NOT NULL,
    interval_start timestamptz NOT NULL,
    offered        integer NOT NULL,
    answered       integer NOT NULL,
    abandoned      integer NOT NULL,
    handle_secs    double precision
);
CREATE INDEX import_rows_import ON import_rows (import_id);

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
