-- What the business knows and history does not, as changes over the forecast.
-- `change` is the JSON form of the overlay (crates/forecast, Overlay).
CREATE TABLE overlays (
    id              uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    contact_type_id uuid NOT NULL REFERENCES contact_types ON DELETE CASCADE,
    name            text NOT NULL,
    change          jsonb NOT NULL,
    -- Where the contacts go that an overlay takes away; none when they are not moved.
    moves_to        uuid REFERENCES contact_types ON DELETE CASCADE,
    created_by      uuid REFERENCES users,
    created_at      timestamptz NOT NULL DEFAULT now(),
    CHECK (moves_to <> contact_type_id)
);
CREATE INDEX overlays_type ON overlays (contact_type_id);
CREATE INDEX overlays_target ON overlays (moves_to);

-- A contact type without history of its own is forecast as a share of another's.
ALTER TABLE contact_types
    ADD COLUMN pinned_method text,
    ADD COLUMN like_type_id uuid REFERENCES contact_types ON DELETE SET NULL,
    ADD COLUMN like_share double precision CHECK (like_share > 0);
