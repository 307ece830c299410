-- Targets can be undone; lines are sized; shifts have shapes, people and rosters.
ALTER TABLE contact_types ADD COLUMN previous_rules jsonb;

-- The JSON form of crates/plan, LineRules.
ALTER TABLE centres ADD COLUMN line_rules jsonb;

-- Kinds of shifts of a contact type: the JSON form of a list of crates/plan, ShiftShape.
ALTER TABLE contact_types ADD COLUMN shift_shapes jsonb;

-- A search for shifts that follow the need of a week: queued, searching, found or given up.
CREATE TABLE shift_searches (
    id               uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    contact_type_id  uuid NOT NULL REFERENCES contact_types ON DELETE CASCADE,
    monday           date NOT NULL,
    -- JSON forms of crates/plan: ShiftProblem and, when found, FittedRoster.
    problem          jsonb NOT NULL,
    limit_secs       integer NOT NULL,
    state            text NOT NULL DEFAULT 'queued'
        CHECK (state IN ('queued', 'searching', 'found', 'failed')),
    cancel_requested boolean NOT NULL DEFAULT false,
    -- What has been found so far: seconds spent, cost, gap.
    elapsed_secs     double precision NOT NULL DEFAULT 0,
    cost             double precision,
    gap              double precision,
    roster           jsonb,
    failure          text,
    created_by       uuid REFERENCES users,
    created_at       timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX shift_searches_newest ON shift_searches (contact_type_id, created_at DESC);

-- People who work shifts. Hours a week are their contract's.
CREATE TABLE agents (
    id             uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    centre_id      uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    name           text NOT NULL,
    team           text NOT NULL DEFAULT '',
    skills         text[] NOT NULL DEFAULT '{}',
    contract_hours double precision NOT NULL DEFAULT 37.5 CHECK (contract_hours > 0)
);
CREATE UNIQUE INDEX agents_name ON agents (centre_id, lower(name));

-- Stretches in which an agent is at work for a contact type; a shift with a break is two.
CREATE TABLE agent_shifts (
    id              uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    agent_id        uuid NOT NULL REFERENCES agents ON DELETE CASCADE,
    contact_type_id uuid NOT NULL REFERENCES contact_types ON DELETE CASCADE,
    starts_at       timestamptz NOT NULL,
    ends_at         timestamptz NOT NULL,
    CHECK (starts_at < ends_at)
);
CREATE INDEX agent_shifts_time ON agent_shifts (contact_type_id, starts_at);
CREATE INDEX agent_shifts_agent ON agent_shifts (agent_id, starts_at);

-- Days on which an agent is away: leave, training.
CREATE TABLE time_off (
    id        uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    agent_id  uuid NOT NULL REFERENCES agents ON DELETE CASCADE,
    first_day date NOT NULL,
    last_day  date NOT NULL,
    why       text NOT NULL DEFAULT '',
    CHECK (first_day <= last_day)
);
CREATE INDEX time_off_agent ON time_off (agent_id, first_day);
