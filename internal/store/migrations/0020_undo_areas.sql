-- +goose Up
-- Where an edit was made: the ID of a reel, 'reels' (one was made, named or removed), or 'sheet' (takes, labels, sync). Undo
-- is of one area at a time.
ALTER TABLE edits ADD areas text[] NOT NULL DEFAULT '{sheet}';
UPDATE edits SET areas = CASE WHEN forward ? 'naming' THEN '{reels}'::text[] WHEN forward ? 'reel' THEN ARRAY[forward->'reel'->>'reel'] ELSE '{sheet}'::text[] END;

-- +goose Down
ALTER TABLE edits DROP areas;
