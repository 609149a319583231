-- +goose Up
-- A reel is what its log makes of the last snapshot: doc is the reel at snapshot, and each row of the log makes the version
-- that it names of the one before. head is the last row of the log, 0 for none: it tells apart versions of one number of
-- which one was never committed.
ALTER TABLE reels ADD snapshot bigint, ADD head bigint NOT NULL DEFAULT 0;
UPDATE reels SET snapshot = version;
ALTER TABLE reels ALTER snapshot SET NOT NULL;
CREATE TABLE reel_log (
    id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    reel_id uuid NOT NULL REFERENCES reels ON DELETE CASCADE,
    version bigint NOT NULL,
    session text NOT NULL DEFAULT '',
    ops     jsonb NOT NULL,             -- of core/reel.Op
    touched text[] NOT NULL DEFAULT '{}',
    at      timestamptz NOT NULL DEFAULT now(),
    UNIQUE (reel_id, version)
);

-- +goose Down
-- What has been done since the snapshot would be lost: a program of before reads doc alone.
-- +goose StatementBegin
DO $$ BEGIN
    IF EXISTS (SELECT FROM reels WHERE snapshot <> version) THEN
        RAISE EXCEPTION 'reels have been changed since their snapshots';
    END IF;
END $$;
-- +goose StatementEnd
DROP TABLE reel_log;
ALTER TABLE reels DROP snapshot, DROP head;
