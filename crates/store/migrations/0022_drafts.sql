-- A version says what it changed, and is listed without its body.
ALTER TABLE strategy_versions
    ADD COLUMN summary text NOT NULL DEFAULT '',
    ADD COLUMN name text GENERATED ALWAYS AS (body ->> 'name') STORED,
    DROP COLUMN contact_type_id;

-- A sweep is kept as what it starts from and its settings. Earlier ones kept every point whole, without
-- saying which setting was swept: they cannot be brought into this form.
CREATE TEMPORARY TABLE swept ON COMMIT DROP AS
    SELECT id FROM comparisons WHERE inputs -> 'axes' <> '[]'::jsonb AND NOT inputs ? 'base';
DELETE FROM comparisons WHERE id IN (SELECT id FROM swept);
DELETE FROM runs WHERE id IN (SELECT id FROM swept);
