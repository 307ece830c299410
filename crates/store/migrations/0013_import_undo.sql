-- What an import changed, so that the last one can be undone: which rows it brought, and what stood
-- there before.
ALTER TABLE history ADD COLUMN import_number integer;
ALTER TABLE imports
    ADD COLUMN saved_at timestamptz,
    ADD COLUMN new_types uuid[] NOT NULL DEFAULT '{}';

CREATE TABLE replaced_history (
    import_number   integer NOT NULL,
    contact_type_id uuid NOT NULL,
    interval_start  timestamptz NOT NULL,
    offered         integer NOT NULL,
    answered        integer NOT NULL,
    abandoned       integer NOT NULL,
    handle_secs     double precision,
    earlier_import  integer
);
CREATE INDEX replaced_history_import ON replaced_history (import_number);
