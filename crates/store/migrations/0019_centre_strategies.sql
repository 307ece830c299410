-- A strategy is of the whole centre: its versions are one row of numbers, and one of them is live.
-- Until now each contact type had versions of its own; those keep their contact type, and are
-- numbered anew in the order in which they were saved. The first start after this migration joins
-- what was live of each into one version (crates/store, strategies.rs).
ALTER TABLE strategy_versions ADD COLUMN centre_id uuid REFERENCES centres ON DELETE CASCADE;
UPDATE strategy_versions SET centre_id = contact_types.centre_id
    FROM contact_types WHERE contact_types.id = strategy_versions.contact_type_id;
ALTER TABLE strategy_versions
    ALTER COLUMN centre_id SET NOT NULL,
    ALTER COLUMN contact_type_id DROP NOT NULL,
    DROP CONSTRAINT strategy_versions_contact_type_id_version_key,
    DROP CONSTRAINT strategy_versions_contact_type_id_fkey,
    ADD FOREIGN KEY (contact_type_id) REFERENCES contact_types ON DELETE SET NULL;
UPDATE strategy_versions SET version = numbered.version
    FROM (SELECT id, row_number() OVER (PARTITION BY centre_id ORDER BY created_at, id) AS version
            FROM strategy_versions) AS numbered
    WHERE numbered.id = strategy_versions.id;
ALTER TABLE strategy_versions ADD UNIQUE (centre_id, version);

-- A trial is of one or more contact types on one or more days. Trials of a set of days (typical,
-- peak, storm) share `set_id`.
ALTER TABLE trials
    ADD COLUMN centre_id uuid REFERENCES centres ON DELETE CASCADE,
    ADD COLUMN contact_types uuid[],
    ADD COLUMN subject text,
    ADD COLUMN days integer NOT NULL DEFAULT 1,
    ADD COLUMN set_id uuid,
    ADD COLUMN day_kind text,
    -- The form as it was filled in, so that another can begin from it.
    ADD COLUMN asked jsonb NOT NULL DEFAULT '{}';
UPDATE trials SET centre_id = contact_types.centre_id, subject = contact_types.name,
        contact_types = ARRAY[contact_types.id]
    FROM contact_types WHERE contact_types.id = trials.contact_type_id;
ALTER TABLE trials
    ALTER COLUMN centre_id SET NOT NULL,
    ALTER COLUMN contact_types SET NOT NULL,
    ALTER COLUMN subject SET NOT NULL,
    DROP COLUMN contact_type_id;
CREATE INDEX trials_of_set ON trials (set_id) WHERE set_id IS NOT NULL;

ALTER TABLE comparisons
    ADD COLUMN centre_id uuid REFERENCES centres ON DELETE CASCADE,
    ADD COLUMN contact_types uuid[],
    ADD COLUMN subject text,
    ADD COLUMN days integer NOT NULL DEFAULT 1;
UPDATE comparisons SET centre_id = contact_types.centre_id, subject = contact_types.name,
        contact_types = ARRAY[contact_types.id]
    FROM contact_types WHERE contact_types.id = comparisons.contact_type_id;
ALTER TABLE comparisons
    ALTER COLUMN centre_id SET NOT NULL,
    ALTER COLUMN contact_types SET NOT NULL,
    ALTER COLUMN subject SET NOT NULL,
    DROP COLUMN contact_type_id;
