-- People planned on the phones, per interval.
CREATE TABLE cover (
    contact_type_id uuid NOT NULL REFERENCES contact_types ON DELETE CASCADE,
    interval_start  timestamptz NOT NULL,
    agents          integer NOT NULL CHECK (agents >= 0),
    PRIMARY KEY (contact_type_id, interval_start)
);
