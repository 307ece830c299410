-- One life for long work: trials, comparisons, searches for shifts, forecasts of all contact types. Each
-- has a row here, under the key of the row of its own kind, which keeps what it is about. Work is counted
-- in the kind's own units: replications, parts, seconds, forecasts.
CREATE TABLE runs (
    id               uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    centre_id        uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    kind             text NOT NULL CHECK (kind IN ('trial', 'comparison', 'shifts', 'forecasts')),
    state            text NOT NULL DEFAULT 'queued'
        CHECK (state IN ('queued', 'running', 'done', 'failed', 'cancelled')),
    work_done        integer NOT NULL DEFAULT 0,
    work_total       integer NOT NULL CHECK (work_total >= 0),
    cancel_requested boolean NOT NULL DEFAULT false,
    failure          text,
    created_by       uuid REFERENCES users,
    created_at       timestamptz NOT NULL DEFAULT now(),
    started_at       timestamptz,
    ended_at         timestamptz,
    CHECK ((state = 'failed') = (failure IS NOT NULL))
);
CREATE INDEX runs_newest ON runs (centre_id, kind, created_at DESC);
CREATE INDEX runs_open ON runs (state) WHERE state IN ('queued', 'running');

-- What has been worked out of a run so far: compact sums, part by part, removed when the run is over.
CREATE TABLE run_parts (
    run_id uuid NOT NULL REFERENCES runs ON DELETE CASCADE,
    part   integer NOT NULL,
    work   integer NOT NULL,
    sums   bytea NOT NULL,
    PRIMARY KEY (run_id, part)
);

INSERT INTO runs (id, centre_id, kind, state, work_done, work_total, cancel_requested, failure,
        created_by, created_at, started_at, ended_at)
    SELECT id, centre_id, 'trial', state, played, coalesce((inputs ->> 'replications')::integer, played),
        cancel_requested, CASE state WHEN 'failed' THEN coalesce(failure, 'no reason was kept') END,
        created_by, created_at, started_at, finished_at
    FROM trials
    UNION ALL
    SELECT id, centre_id, 'comparison', state, round(progress * 1000)::integer, 1000,
        cancel_requested, CASE state WHEN 'failed' THEN coalesce(failure, 'no reason was kept') END,
        created_by, created_at, started_at, NULL
    FROM comparisons
    UNION ALL
    SELECT search.id, contact_types.centre_id, 'shifts',
        CASE search.state WHEN 'searching' THEN 'running' WHEN 'found' THEN 'done' ELSE search.state END,
        round(elapsed_secs)::integer, limit_secs, false,
        CASE search.state WHEN 'failed' THEN coalesce(failure, 'no reason was kept') END,
        search.created_by, search.created_at, NULL, NULL
    FROM shift_searches AS search JOIN contact_types ON contact_types.id = search.contact_type_id
    UNION ALL
    SELECT id, centre_id, 'forecasts', CASE state WHEN 'waiting' THEN 'queued' ELSE state END,
        done, total, false, CASE state WHEN 'failed' THEN 'no reason was kept' END,
        created_by, created_at, NULL, NULL
    FROM forecast_runs;

-- Which contact types a run of forecasts is for; all of them where none is named.
CREATE TABLE forecast_run_types (
    run_id          uuid NOT NULL REFERENCES runs ON DELETE CASCADE,
    contact_type_id uuid NOT NULL REFERENCES contact_types ON DELETE CASCADE,
    PRIMARY KEY (run_id, contact_type_id)
);

-- Parts of the earlier layout are worked out again by the runs that are still open.
DROP TABLE trial_parts;
DROP TABLE comparison_parts;
DROP TABLE forecast_runs;
DROP INDEX trials_newest, comparisons_newest, shift_searches_newest;
ALTER TABLE trials
    DROP COLUMN state, DROP COLUMN played, DROP COLUMN cancel_requested, DROP COLUMN failure,
    DROP COLUMN created_by, DROP COLUMN created_at, DROP COLUMN started_at, DROP COLUMN finished_at,
    ALTER COLUMN id DROP DEFAULT,
    ADD FOREIGN KEY (id) REFERENCES runs ON DELETE CASCADE,
    -- What lists show of a finished trial (TrialDigest of crates/plan), so that they need not read inputs.
    ADD COLUMN digest jsonb;
ALTER TABLE comparisons
    DROP COLUMN state, DROP COLUMN progress, DROP COLUMN cancel_requested, DROP COLUMN failure,
    DROP COLUMN created_by, DROP COLUMN created_at, DROP COLUMN started_at,
    ALTER COLUMN id DROP DEFAULT,
    ADD FOREIGN KEY (id) REFERENCES runs ON DELETE CASCADE;
ALTER TABLE shift_searches
    DROP COLUMN state, DROP COLUMN elapsed_secs, DROP COLUMN failure, DROP COLUMN created_by,
    DROP COLUMN created_at, DROP COLUMN limit_secs,
    ALTER COLUMN id DROP DEFAULT,
    ADD FOREIGN KEY (id) REFERENCES runs ON DELETE CASCADE;
-- A search that is told "enough" ends with what it has; it is not cancelled.
ALTER TABLE shift_searches RENAME COLUMN cancel_requested TO enough;

CREATE INDEX shift_searches_of_week ON shift_searches (contact_type_id, monday);
CREATE INDEX trials_of_version ON trials (strategy_version_id);
CREATE INDEX go_lives_of_version ON go_lives (strategy_version_id, approved_at DESC);
CREATE INDEX history_of_import ON history (import_number) WHERE import_number IS NOT NULL;
