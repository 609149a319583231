-- +goose Up
-- Takes that are written out wait, are held and are cancelled like deliveries.
ALTER TABLE writings DROP CONSTRAINT writings_state_check;
ALTER TABLE writings ADD CONSTRAINT writings_state_check CHECK (state IN ('waiting', 'held', 'writing', 'proving', 'proven', 'failed', 'cancelled'));
CREATE INDEX deliveries_unfinished ON deliveries (production_id) WHERE state IN ('waiting', 'held', 'rendering', 'proving');
CREATE INDEX writings_unfinished ON writings (production_id) WHERE state IN ('waiting', 'held', 'writing', 'proving', 'failed');

-- +goose Down
DROP INDEX deliveries_unfinished, writings_unfinished;
UPDATE writings SET state = 'failed', error_code = 'cancelled' WHERE state IN ('held', 'cancelled');
ALTER TABLE writings DROP CONSTRAINT writings_state_check;
ALTER TABLE writings ADD CONSTRAINT writings_state_check CHECK (state IN ('waiting', 'writing', 'proving', 'proven', 'failed'));
