-- The secret of a person's authenticator, and the last step of time whose code was used: a code opens once.
ALTER TABLE users ADD COLUMN second_factor bytea, ADD COLUMN second_factor_step bigint NOT NULL DEFAULT 0;
