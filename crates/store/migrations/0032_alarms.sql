CREATE TABLE alarms (
    id         uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    centre_id  uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    rule       jsonb NOT NULL,
    is_on      boolean NOT NULL DEFAULT true,
    created_by uuid REFERENCES users ON DELETE SET NULL,
    created_at timestamptz NOT NULL DEFAULT now()
);

-- Times are the switch's, but for those at which people did something.
CREATE TABLE alarm_rings (
    id         uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    alarm_id   uuid NOT NULL REFERENCES alarms ON DELETE CASCADE,
    rang_at    timestamptz NOT NULL,
    value      double precision NOT NULL,
    cleared_at timestamptz,
    seen_by    uuid REFERENCES users ON DELETE SET NULL,
    seen_at    timestamptz
);
-- However many servers watch, an alarm rings once.
CREATE UNIQUE INDEX alarm_rings_once ON alarm_rings (alarm_id) WHERE cleared_at IS NULL;
CREATE INDEX alarm_rings_by_time ON alarm_rings (alarm_id, rang_at DESC);
