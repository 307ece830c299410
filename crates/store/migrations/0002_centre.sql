-- The centre and its contact types. `today` is set in the demo only, so that its screens stay as
-- they are; `rules` is the JSON form of the targets (crates/plan, Rules).
CREATE TABLE centres (
    id    uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    name  text NOT NULL,
    zone  text NOT NULL,
    today date
);

CREATE TABLE contact_types (
    id            uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    centre_id     uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    name          text NOT NULL,
    position      integer NOT NULL,
    grain_minutes smallint NOT NULL CHECK (grain_minutes IN (15, 30, 60)),
    rules         jsonb NOT NULL
);
CREATE UNIQUE INDEX contact_types_name ON contact_types (centre_id, lower(name));
