-- Sessions are known by a digest of their key, and bound to a digest of the password instead of its hash: what
-- stands in this table opens nothing. Everybody signs in once more.
DELETE FROM sessions;
ALTER TABLE sessions ADD COLUMN created_at timestamptz NOT NULL DEFAULT now();
CREATE INDEX sessions_of_user ON sessions ((record -> 'axum-login.data' ->> 'user_id'));
