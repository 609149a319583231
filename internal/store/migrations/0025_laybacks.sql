-- +goose Up
-- What was played in real time onto a deck outside, and what came of it.
CREATE TABLE laybacks (
    id            uuid PRIMARY KEY,
    production_id uuid NOT NULL REFERENCES productions,
    reel_id       uuid NOT NULL REFERENCES reels,
    from_at       bigint NOT NULL,                   -- samples since midnight
    to_at         bigint NOT NULL,
    outputs       integer[] NOT NULL,                -- places from 0
    names         text[] NOT NULL,                   -- of those outputs, as they were called
    state         text NOT NULL CHECK (state IN ('playing', 'comparing', 'proven', 'failed', 'stopped')),
    report        jsonb,                             -- core/line.Report
    error_code    text NOT NULL DEFAULT '',
    error_message text NOT NULL DEFAULT '',
    began_at      timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX laybacks_by_reel ON laybacks (reel_id, began_at DESC);
CREATE INDEX laybacks_by_production ON laybacks (production_id);

-- +goose Down
DROP TABLE laybacks;
