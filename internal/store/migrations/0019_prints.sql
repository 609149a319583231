-- +goose Up
-- What becomes a new recording of what lies in a reel, an item a file.
CREATE TABLE prints (
    id            uuid PRIMARY KEY,
    production_id uuid NOT NULL REFERENCES productions,
    reel_id       uuid NOT NULL REFERENCES reels,
    body          jsonb NOT NULL,                    -- core/printing.Print
    session       text NOT NULL DEFAULT '',          -- whose edit it is to lay it
    state         text NOT NULL CHECK (state IN ('waiting', 'held', 'rendering', 'proving', 'laying', 'proven', 'failed', 'cancelled')),
    error_code    text NOT NULL DEFAULT '',
    error_message text NOT NULL DEFAULT '',
    file_id       uuid REFERENCES files ON DELETE SET NULL, -- what it became
    job_id        bigint,
    attempt       uuid,
    began_at      timestamptz,
    ordered_at    timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX prints_unfinished ON prints (production_id) WHERE state NOT IN ('proven', 'cancelled');
CREATE INDEX prints_by_reel ON prints (reel_id);
CREATE INDEX prints_by_file ON prints (file_id);

-- +goose Down
DROP TABLE prints;
