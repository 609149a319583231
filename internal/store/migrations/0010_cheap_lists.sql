-- +goose Up
-- What lists need of a file's facts, kept beside them when they are written: a list reads no facts.
ALTER TABLE files
	ADD frames      bigint  GENERATED ALWAYS AS ((facts->>'frames')::bigint) STORED,
	ADD has_picture boolean GENERATED ALWAYS AS (coalesce(facts ? 'picture', false)) STORED,
	ADD snag_count  integer GENERATED ALWAYS AS (jsonb_array_length(coalesce(nullif(facts->'facts'->'snags', 'null'), nullif(facts->'facts'->'Snags', 'null'), '[]'))) STORED;
CREATE INDEX files_amiss ON files (production_id) WHERE state IN ('refused', 'duplicate') OR lost IS NOT NULL OR snag_count > 0;
-- Takes that something is amiss with, and strands that want a label if they sound.
CREATE INDEX takes_amiss ON takes (production_id) WHERE NOT accepted AND (NOT certain OR jsonb_array_length(snags) > 0);
CREATE INDEX strands_unlabelled ON strands (take_id) WHERE label = '';

-- +goose Down
DROP INDEX strands_unlabelled;
DROP INDEX takes_amiss;
DROP INDEX files_amiss;
ALTER TABLE files DROP frames, DROP has_picture, DROP snag_count;
