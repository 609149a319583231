-- +goose Up
CREATE TABLE productions (
    id            uuid PRIMARY KEY,
    name          text NOT NULL,
    episode       text NOT NULL,
    sample_rate   integer NOT NULL,
    rate_num      bigint NOT NULL,
    rate_den      bigint NOT NULL,
    rate_drop     boolean NOT NULL,
    start_samples bigint NOT NULL,
    created_at    timestamptz NOT NULL DEFAULT now()
);

-- One recording's file, from its arrival on.
CREATE TABLE files (
    id            uuid PRIMARY KEY,
    production_id uuid NOT NULL REFERENCES productions,
    name          text NOT NULL,             -- as it arrived
    path          text NOT NULL,             -- below the media folder
    source_path   text NOT NULL DEFAULT '',  -- below the shelf, for files copied from there
    size          bigint NOT NULL,
    origin        text NOT NULL CHECK (origin IN ('upload', 'shelf')),
    state         text NOT NULL CHECK (state IN ('waiting', 'analysing', 'ready', 'refused', 'duplicate')),
    hash          text NOT NULL DEFAULT '',
    facts         jsonb,                     -- what analysis found
    error_code    text NOT NULL DEFAULT '',
    error_message text NOT NULL DEFAULT '',
    duplicate_of  uuid REFERENCES files ON DELETE SET NULL,
    job_id        bigint,
    created_at    timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX files_by_production ON files (production_id, id);
CREATE UNIQUE INDEX files_once ON files (production_id, hash) WHERE state = 'ready';

CREATE TABLE takes (
    id            uuid PRIMARY KEY,
    production_id uuid NOT NULL REFERENCES productions,
    set_key       text NOT NULL DEFAULT '',  -- of a mono set that may still grow; empty otherwise
    name          text NOT NULL,
    scene         text NOT NULL,
    take          text NOT NULL,
    roll          text NOT NULL,
    note          text NOT NULL,
    circled       boolean NOT NULL,
    wild_track    boolean NOT NULL,
    no_good       boolean NOT NULL,
    start_samples bigint,
    sample_rate   integer NOT NULL,
    frames        bigint NOT NULL,
    snags         jsonb NOT NULL DEFAULT '[]',
    created_at    timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX takes_by_production ON takes (production_id, id);
CREATE INDEX takes_by_set ON takes (production_id, set_key) WHERE set_key <> '';

-- One channel of one take.
CREATE TABLE strands (
    id             uuid PRIMARY KEY,
    take_id        uuid NOT NULL REFERENCES takes ON DELETE CASCADE,
    file_id        uuid NOT NULL REFERENCES files,
    channel        integer NOT NULL,         -- in the file, from 1
    position       integer NOT NULL,         -- in the take, from 1
    label          text NOT NULL,
    label_source   text NOT NULL,
    recorder_track integer,
    peak           double precision NOT NULL, -- full scale 1
    rms            double precision NOT NULL,
    UNIQUE (file_id, channel)
);
CREATE INDEX strands_by_take ON strands (take_id, position);

CREATE TABLE reels (
    id            uuid PRIMARY KEY,
    production_id uuid NOT NULL REFERENCES productions,
    name          text NOT NULL,
    version       bigint NOT NULL DEFAULT 1,
    doc           jsonb NOT NULL              -- core/reel.Reel
);
CREATE INDEX reels_by_production ON reels (production_id);

-- What people did, each with its inverse, so that undo survives everything.
CREATE TABLE edits (
    id            bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    production_id uuid NOT NULL REFERENCES productions,
    what          text NOT NULL,
    forward       jsonb NOT NULL,
    inverse       jsonb NOT NULL,
    undone        boolean NOT NULL DEFAULT false,
    at            timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX edits_by_production ON edits (production_id, undone, id);

CREATE TABLE specs (
    id   uuid PRIMARY KEY,
    name text NOT NULL UNIQUE,
    body jsonb NOT NULL                       -- core/delivery.Spec
);

CREATE TABLE deliveries (
    id            uuid PRIMARY KEY,
    production_id uuid NOT NULL REFERENCES productions,
    reel_id       uuid NOT NULL REFERENCES reels,
    plan          jsonb NOT NULL,             -- core/delivery.Plan
    state         text NOT NULL CHECK (state IN ('waiting', 'rendering', 'proving', 'proven', 'failed', 'cancelled')),
    error_code    text NOT NULL DEFAULT '',
    error_message text NOT NULL DEFAULT '',
    clipped       bigint NOT NULL DEFAULT 0,
    proof         jsonb,                      -- core/delivery.Proof
    job_id        bigint,
    ordered_at    timestamptz NOT NULL DEFAULT now(),
    finished_at   timestamptz
);
CREATE INDEX deliveries_by_production ON deliveries (production_id, id);

-- +goose Down
DROP TABLE deliveries, specs, edits, reels, strands, takes, files, productions;
