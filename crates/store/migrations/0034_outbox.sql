-- Messages to people and to other programs: kept before they are sent, sent until they arrive or until too often.
CREATE TABLE outbox (
    id         uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    centre_id  uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    recipient  text NOT NULL,
    subject    text NOT NULL,
    body       text NOT NULL,
    -- What a webhook gets, beside the words.
    event      jsonb NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now(),
    due_at     timestamptz NOT NULL DEFAULT now(),
    attempts   integer NOT NULL DEFAULT 0,
    state      text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'sent', 'kept', 'failed')),
    ended_at   timestamptz,
    -- Why the last attempt failed.
    failure    text
);
CREATE INDEX outbox_due ON outbox (due_at) WHERE state = 'waiting';
CREATE INDEX outbox_latest ON outbox (centre_id, created_at DESC);

-- With which webhooks of a centre are signed.
ALTER TABLE centres ADD COLUMN webhook_key text NOT NULL
    DEFAULT replace(gen_random_uuid()::text || gen_random_uuid()::text, '-', '');

ALTER TABLE alarm_rings ADD COLUMN escalated_at timestamptz;
