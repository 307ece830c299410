-- Who did what, when and from where; only grows.
CREATE TABLE trail (
    number     bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    done_at    timestamptz NOT NULL DEFAULT clock_timestamp(),
    -- Their name as it was then; the address that was typed where nobody was signed in.
    done_by    text NOT NULL,
    user_id    uuid,
    from_where text,
    did        text NOT NULL,
    about      text NOT NULL,
    was        text,
    became     text
);
CREATE INDEX trail_did ON trail (did, number DESC);

CREATE FUNCTION refuse_rewriting_trail() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION 'the trail only grows: % is refused', TG_OP;
END $$;
CREATE TRIGGER only_grows BEFORE UPDATE OR DELETE OR TRUNCATE ON trail
    FOR EACH STATEMENT EXECUTE FUNCTION refuse_rewriting_trail();
ALTER TABLE trail ENABLE ALWAYS TRIGGER only_grows;
