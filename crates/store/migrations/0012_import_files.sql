-- Files as they were uploaded, so that their columns can be asked about before they are read, and
-- read again in another way. Nothing is lost when a crash empties the chunks: the file is uploaded
-- again.
ALTER TABLE imports
    ADD COLUMN contact_type text,
    ADD COLUMN layout jsonb,
    DROP CONSTRAINT imports_state_check,
    ADD CONSTRAINT imports_state_check
        CHECK (state IN ('uploaded', 'reading', 'preview', 'saved', 'discarded', 'undone'));

CREATE UNLOGGED TABLE import_chunks (
    import_number integer NOT NULL,
    chunk         integer NOT NULL,
    bytes         bytea NOT NULL,
    PRIMARY KEY (import_number, chunk)
);

-- How a centre's files are read, by their headings: asked once.
CREATE TABLE import_layouts (
    centre_id uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    signature text NOT NULL,
    layout    jsonb NOT NULL,
    PRIMARY KEY (centre_id, signature)
);
