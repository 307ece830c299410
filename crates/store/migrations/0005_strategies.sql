-- Versions of each contact type's strategy. A version never changes; the live one is the one that
-- went live last.
CREATE TABLE strategy_versions (
    id              uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    contact_type_id uuid NOT NULL REFERENCES contact_types ON DELETE CASCADE,
    version         integer NOT NULL,
    body            jsonb NOT NULL,
    created_by      uuid REFERENCES users,
    created_at      timestamptz NOT NULL DEFAULT now(),
    UNIQUE (contact_type_id, version)
);
