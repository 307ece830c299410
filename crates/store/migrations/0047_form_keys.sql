-- Forms that were sent: each is carried out once, however often it is sent.
CREATE TABLE form_keys (
    key      text PRIMARY KEY,
    begun_at timestamptz NOT NULL DEFAULT now(),
    -- When it was carried out; none while that goes on.
    done_at  timestamptz,
    -- Where its sender was led then; none where they were shown something at once.
    location text
);
