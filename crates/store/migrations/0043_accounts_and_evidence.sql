-- Whoever has left cannot sign in; what they did stays theirs.
ALTER TABLE users ADD COLUMN deactivated_at timestamptz;
-- What a trial or comparison has to come to before a change may rest on it; the usual where nobody said.
ALTER TABLE centres ADD COLUMN evidence_rules jsonb;
