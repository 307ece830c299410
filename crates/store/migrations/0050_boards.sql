-- Boards that planners arrange.
CREATE TABLE boards (
    id         uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    centre_id  uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    name       text NOT NULL,
    -- JSON form of crates/plan, BoardLayout.
    layout     jsonb NOT NULL,
    created_by uuid REFERENCES users ON DELETE SET NULL,
    created_at timestamptz NOT NULL DEFAULT now()
);

CREATE UNIQUE INDEX boards_name ON boards (centre_id, lower(name));
