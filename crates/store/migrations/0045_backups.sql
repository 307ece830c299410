-- Backups that were made of this database: an administrator sees how long ago the last one was.
CREATE TABLE backups (
    made_at    timestamptz PRIMARY KEY,
    folder     text NOT NULL,
    rows       bigint NOT NULL,
    -- Whether it was restored elsewhere and compared.
    is_checked boolean NOT NULL
);
