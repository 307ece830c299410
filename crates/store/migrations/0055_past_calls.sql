-- Files of past calls that were read, so that what they say can be looked at again, and by another campaign.
CREATE TABLE past_calls (
    id          uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    centre_id   uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    name        text NOT NULL,
    csv         text NOT NULL,
    calls       bigint NOT NULL,
    uploaded_by uuid REFERENCES users ON DELETE SET NULL,
    uploaded_at timestamptz NOT NULL DEFAULT now(),
    UNIQUE (centre_id, name)
);
