-- Tokens with which scripts send history. Only a hash is kept: a token is shown once.
CREATE TABLE tokens (
    id         uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    centre_id  uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    name       text NOT NULL,
    hash       bytea NOT NULL UNIQUE,
    created_by uuid NOT NULL REFERENCES users,
    created_at timestamptz NOT NULL DEFAULT now(),
    used_at    timestamptz
);
