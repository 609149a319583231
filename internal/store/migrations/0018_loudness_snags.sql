-- +goose Up
-- How many limits of loudness the reel would not keep, by what was measured of its version; NULL until it is measured.
ALTER TABLE reels ADD snags_measure integer, ADD measured_version bigint;

-- +goose Down
ALTER TABLE reels DROP snags_measure, DROP measured_version;
