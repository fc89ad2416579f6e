CREATE TABLE projects (
    id serial PRIMARY KEY,
    name text NOT NULL UNIQUE,
    created_at timestamptz NOT NULL DEFAULT now()
);

-- Geometry and files as content-addressed compressed chunks: SHA-256 of the raw bytes, zstd data.
CREATE TABLE chunks (
    hash bytea PRIMARY KEY,
    data bytea NOT NULL
);

CREATE TABLE bodies (
    id serial PRIMARY KEY,
    project_id int NOT NULL REFERENCES projects ON DELETE CASCADE,
    name text NOT NULL,
    destination text NOT NULL,
    -- The state people are at, and the last state of the line it is on.
    head int,
    tip int,
    created_at timestamptz NOT NULL DEFAULT now()
);

-- One state of a body: its parent's state and one step. Written in one transaction.
CREATE TABLE revisions (
    id serial PRIMARY KEY,
    body_id int NOT NULL REFERENCES bodies ON DELETE CASCADE,
    parent int REFERENCES revisions ON DELETE CASCADE,
    step jsonb,
    change jsonb NOT NULL,
    facts jsonb NOT NULL,
    survey jsonb NOT NULL,
    blobs jsonb NOT NULL,
    picture bytea NOT NULL,
    -- Computed to be looked at, not part of the logbook (yet).
    preview boolean NOT NULL DEFAULT false,
    created_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX revisions_body ON revisions (body_id);

CREATE TABLE jobs (
    id serial PRIMARY KEY,
    kind text NOT NULL,
    payload jsonb NOT NULL,
    project_id int NOT NULL REFERENCES projects ON DELETE CASCADE,
    body_id int REFERENCES bodies ON DELETE CASCADE,
    state text NOT NULL DEFAULT 'queued' CHECK (state IN ('queued', 'running', 'done', 'failed', 'cancelled')),
    fraction double precision NOT NULL DEFAULT 0,
    phrase text NOT NULL DEFAULT 'waiting for a worker',
    worker text,
    lease_until timestamptz,
    attempts int NOT NULL DEFAULT 0,
    cancel boolean NOT NULL DEFAULT false,
    result jsonb,
    error text,
    created_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX jobs_open ON jobs (id) WHERE state IN ('queued', 'running');

CREATE TABLE handovers (
    id serial PRIMARY KEY,
    body_id int NOT NULL REFERENCES bodies ON DELETE CASCADE,
    revision_id int NOT NULL REFERENCES revisions ON DELETE CASCADE,
    name text NOT NULL,
    manifest jsonb NOT NULL,
    zip jsonb NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now()
);
