-- Walk-throughs that must end as the planner said: kept with the centre, checked on every version.
CREATE TABLE expectations (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  centre_id uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
  name text NOT NULL,
  body jsonb NOT NULL,
  created_by uuid REFERENCES users,
  created_at timestamptz NOT NULL DEFAULT now(),
  UNIQUE (centre_id, name)
);
