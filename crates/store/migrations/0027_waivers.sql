-- What preflight finds and somebody has decided to live with: a reason, who said so, when; and who took it
-- back. Rows are never removed.
CREATE TABLE waivers (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  centre_id uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
  -- Of a finding: its rule, part and setting.
  finding text NOT NULL,
  reason text NOT NULL,
  waived_by uuid NOT NULL REFERENCES users,
  waived_at timestamptz NOT NULL DEFAULT now(),
  taken_back_by uuid REFERENCES users,
  taken_back_at timestamptz
);
CREATE UNIQUE INDEX waivers_that_hold ON waivers (centre_id, finding) WHERE taken_back_at IS NULL;
