-- +goose Up
-- What core/readiness says of a row, kept with it when it is written; NULL until it has been worked out. Lists and counts
-- read it.
ALTER TABLE takes ADD amiss boolean;
ALTER TABLE reels ADD snags_reel integer, ADD snags_weave integer;
DROP INDEX takes_amiss;
DROP INDEX strands_unlabelled;
CREATE INDEX takes_amiss ON takes (production_id) WHERE amiss;

-- +goose Down
DROP INDEX takes_amiss;
ALTER TABLE takes DROP amiss;
ALTER TABLE reels DROP snags_reel, DROP snags_weave;
CREATE INDEX takes_amiss ON takes (production_id) WHERE NOT accepted AND (NOT certain OR jsonb_array_length(snags) > 0);
CREATE INDEX strands_unlabelled ON strands (take_id) WHERE label = '';
