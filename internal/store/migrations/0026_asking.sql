-- +goose Up
-- What has to be decided before a take is laid.
CREATE INDEX suggestions_asking ON suggestions (production_id, take_id) WHERE state = 'open' AND body->>'asks' = 'true';

-- +goose Down
DROP INDEX suggestions_asking;
