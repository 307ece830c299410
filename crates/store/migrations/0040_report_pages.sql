-- A report is made once and kept until something that it tells of changes.

-- How often that has happened. Counted when a transaction commits, so that nobody waits for a long one, and so that
-- who reads the count after reading figures never takes old figures for new ones.
CREATE TABLE facts_changes (
    is_only boolean PRIMARY KEY DEFAULT true CHECK (is_only),
    changes bigint NOT NULL DEFAULT 0
);
INSERT INTO facts_changes DEFAULT VALUES;

-- Transactions under way that have changed something; empty at rest.
CREATE TABLE facts_touched (
    transaction xid8 PRIMARY KEY
);

CREATE FUNCTION touch_facts() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO facts_touched VALUES (pg_current_xact_id()) ON CONFLICT DO NOTHING;
    RETURN NULL;
END $$;

CREATE FUNCTION count_facts_change() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    UPDATE facts_changes SET changes = changes + 1;
    DELETE FROM facts_touched WHERE transaction = NEW.transaction;
    RETURN NULL;
END $$;

CREATE CONSTRAINT TRIGGER counted AFTER INSERT ON facts_touched
    DEFERRABLE INITIALLY DEFERRED FOR EACH ROW EXECUTE FUNCTION count_facts_change();

DO $$
DECLARE
    subject text;
BEGIN
    FOREACH subject IN ARRAY ARRAY[
        'agent_shifts', 'agents', 'alarm_rings', 'alarms', 'centres', 'change_sheet_entries', 'change_sheets',
        'contact_types', 'cover', 'day_accounts', 'forecast_days', 'forecast_intervals', 'forecasts',
        'go_live_answers', 'go_lives', 'history', 'history_marks', 'opening_plans', 'overlays', 'strategy_versions',
        'switch_intervals', 'switch_staffing', 'time_off', 'trials', 'users'
    ] LOOP
        EXECUTE format(
            'CREATE TRIGGER tells_reports AFTER INSERT OR UPDATE OR DELETE OR TRUNCATE ON %I '
            'FOR EACH STATEMENT EXECUTE FUNCTION touch_facts()', subject);
    END LOOP;
END $$;

-- Reports as they were made of the figures after so many changes.
CREATE TABLE report_pages (
    key     bytea PRIMARY KEY,
    changes bigint NOT NULL,
    report  jsonb NOT NULL,
    made_at timestamptz NOT NULL DEFAULT now()
);
