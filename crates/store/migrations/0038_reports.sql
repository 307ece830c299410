-- Reports as people define them, when they are made by themselves and for whom, and what was made.
CREATE TABLE reports (
    id         uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    centre_id  uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    title      text NOT NULL,
    -- JSON form of crates/report: Definition.
    definition jsonb NOT NULL,
    -- Days that made reports are kept.
    keep_days  integer NOT NULL DEFAULT 400 CHECK (keep_days BETWEEN 1 AND 3650),
    created_by uuid REFERENCES users ON DELETE SET NULL,
    created_at timestamptz NOT NULL DEFAULT now(),
    changed_at timestamptz NOT NULL DEFAULT now()
);
CREATE UNIQUE INDEX reports_title ON reports (centre_id, lower(title));

CREATE TABLE report_schedules (
    id         uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    report_id  uuid NOT NULL REFERENCES reports ON DELETE CASCADE,
    -- JSON form of crates/report: Timing.
    timing     jsonb NOT NULL,
    -- Mail addresses, and roles whose people get it.
    addresses  text[] NOT NULL,
    roles      text[] NOT NULL,
    formats    text[] NOT NULL,
    -- A link instead of attached files, for so many days.
    link_days  integer CHECK (link_days BETWEEN 1 AND 365),
    only_if_missed boolean NOT NULL,
    is_on      boolean NOT NULL DEFAULT true,
    -- When it is made next; none when it never is again.
    next_at    timestamptz,
    created_by uuid REFERENCES users ON DELETE SET NULL,
    created_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX report_schedules_due ON report_schedules (next_at) WHERE is_on;

-- A report that was made. Each is a run.
CREATE TABLE report_editions (
    id          uuid PRIMARY KEY REFERENCES runs ON DELETE CASCADE,
    report_id   uuid NOT NULL REFERENCES reports ON DELETE CASCADE,
    -- None where a person asked for it.
    schedule_id uuid REFERENCES report_schedules ON DELETE SET NULL,
    definition  jsonb NOT NULL,
    -- When it was to be made.
    due_at      timestamptz NOT NULL,
    -- JSON form of crates/report: Report, when it is done.
    report      jsonb,
    -- What became of it, in words.
    outcome     text,
    -- Whether its owner has been told that it failed.
    is_told     boolean NOT NULL DEFAULT false
);
CREATE INDEX report_editions_latest ON report_editions (report_id, due_at DESC);
-- However many servers look, a schedule makes a report once for each of its times.
CREATE UNIQUE INDEX report_editions_once ON report_editions (schedule_id, due_at);

CREATE TABLE report_files (
    edition_id uuid NOT NULL REFERENCES report_editions ON DELETE CASCADE,
    format     text NOT NULL,
    bytes      bytea NOT NULL,
    PRIMARY KEY (edition_id, format)
);

-- Links with which anybody may read one made report until they expire.
CREATE TABLE report_links (
    hash       bytea PRIMARY KEY,
    edition_id uuid NOT NULL REFERENCES report_editions ON DELETE CASCADE,
    expires_at timestamptz NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX report_links_edition ON report_links (edition_id);

-- Files that go with a message.
ALTER TABLE outbox ADD COLUMN edition_id uuid REFERENCES report_editions ON DELETE SET NULL;

ALTER TABLE runs DROP CONSTRAINT runs_kind_check;
ALTER TABLE runs ADD CONSTRAINT runs_kind_check
    CHECK (kind IN ('trial', 'comparison', 'shifts', 'forecasts', 'account', 'search', 'report'));
