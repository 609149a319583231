-- +goose Up
-- What the list of reels says of each, kept when it is written, so that the list reads no documents; NULL until it has been
-- worked out.
ALTER TABLE reels ADD tracks integer, ADD starts bigint, ADD ends bigint;

-- +goose Down
ALTER TABLE reels DROP tracks, DROP starts, DROP ends;
