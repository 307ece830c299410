-- An alarm can be changed: a ring keeps the rule by which it rang.
ALTER TABLE alarm_rings ADD COLUMN rule jsonb;
UPDATE alarm_rings SET rule = alarms.rule FROM alarms WHERE alarms.id = alarm_id;
ALTER TABLE alarm_rings ALTER COLUMN rule SET NOT NULL;
