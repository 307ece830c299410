-- How a centre's lists are read, by their headings: asked once. A file of people and one of numbers that are never
-- called may have the same heading and mean something else.
CREATE TABLE list_layouts (
    centre_id uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    subject   text NOT NULL,
    signature text NOT NULL,
    layout    jsonb NOT NULL,
    PRIMARY KEY (centre_id, subject, signature)
);
