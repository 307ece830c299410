-- Change sheets: a record that only grows. Nothing here refers to a centre or a version by a key that could be
-- removed with it: the record outlives both.
CREATE TABLE change_sheets (
    id         uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    centre_id  uuid NOT NULL,
    number     integer NOT NULL,
    -- The version that goes live, and the one that was live when the sheet was drawn up.
    version_id uuid NOT NULL,
    against_id uuid,
    UNIQUE (centre_id, number)
);

CREATE TABLE change_sheet_entries (
    sheet_id uuid NOT NULL REFERENCES change_sheets,
    -- 0, 1, 2 … within a sheet: of two who add an entry at once, one is refused.
    nth      integer NOT NULL,
    act      jsonb NOT NULL,
    done_by  uuid,
    done_at  timestamptz NOT NULL,
    -- SHA-256 of the entry and of the seal before it: an entry that is changed or taken out breaks all seals
    -- after it.
    seal     bytea NOT NULL,
    PRIMARY KEY (sheet_id, nth)
);

CREATE FUNCTION change_sheet_seal(before bytea, entry change_sheet_entries) RETURNS bytea
LANGUAGE sql IMMUTABLE AS $$
    SELECT sha256(coalesce(before, '') || convert_to(concat_ws('|', entry.sheet_id, entry.nth, entry.act::text,
        entry.done_by, extract(epoch FROM entry.done_at)), 'UTF8'))
$$;

-- The time is the database's, to the microsecond, and the seal is worked out here: whoever adds an entry cannot
-- choose either.
CREATE FUNCTION seal_change_sheet_entry() RETURNS trigger
LANGUAGE plpgsql AS $$
BEGIN
    NEW.done_at := clock_timestamp();
    NEW.seal := change_sheet_seal(
        (SELECT seal FROM change_sheet_entries WHERE sheet_id = NEW.sheet_id AND nth = NEW.nth - 1), NEW);
    IF NEW.nth > 0 AND NOT EXISTS (
        SELECT FROM change_sheet_entries WHERE sheet_id = NEW.sheet_id AND nth = NEW.nth - 1
    ) THEN
        RAISE EXCEPTION 'entry % of a change sheet does not follow another', NEW.nth;
    END IF;
    RETURN NEW;
END
$$;
CREATE TRIGGER seal_entry BEFORE INSERT ON change_sheet_entries
    FOR EACH ROW EXECUTE FUNCTION seal_change_sheet_entry();

CREATE FUNCTION refuse_rewriting() RETURNS trigger
LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION 'the record of change sheets only grows: % is refused', TG_OP;
END
$$;
CREATE TRIGGER only_grows BEFORE UPDATE OR DELETE OR TRUNCATE ON change_sheet_entries
    FOR EACH STATEMENT EXECUTE FUNCTION refuse_rewriting();
CREATE TRIGGER only_grows BEFORE UPDATE OR DELETE OR TRUNCATE ON change_sheets
    FOR EACH STATEMENT EXECUTE FUNCTION refuse_rewriting();
-- Also for sessions that switch ordinary triggers off to restore data.
ALTER TABLE change_sheet_entries ENABLE ALWAYS TRIGGER only_grows;
ALTER TABLE change_sheets ENABLE ALWAYS TRIGGER only_grows;

-- A version that goes live by a sheet says so.
ALTER TABLE go_lives ADD COLUMN sheet_id uuid;
