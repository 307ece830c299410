-- People who sign in, and their sessions. Ends the time without anybody to answer for a change.
CREATE TABLE users (
    id            uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    name          text NOT NULL,
    email         text NOT NULL,
    password_hash text NOT NULL,
    role          text NOT NULL CHECK (role IN ('viewer', 'planner', 'approver', 'administrator'))
);
CREATE UNIQUE INDEX users_email ON users (lower(email));

CREATE TABLE sessions (
    id         text PRIMARY KEY,
    record     jsonb NOT NULL,
    expires_at timestamptz NOT NULL
);
CREATE INDEX sessions_expiry ON sessions (expires_at);
