-- +goose Up
-- The specification that a reel is held against; NULL for the one that is used where none is chosen.
ALTER TABLE reels ADD spec_id uuid REFERENCES specs ON DELETE SET NULL;
-- The first of the reels that this one came from by way of a delivery that was taken back in; NULL for itself. Deliveries of
-- all of them are versions of one.
ALTER TABLE reels ADD family uuid REFERENCES reels;
ALTER TABLE specs ADD shipped boolean NOT NULL DEFAULT false;
-- Deliveries of a reel to a spec of one name are counted, tests aside. One that is held waits until it is let go.
ALTER TABLE deliveries ADD version integer NOT NULL DEFAULT 1, ADD test boolean NOT NULL DEFAULT false, ADD began_at timestamptz;
ALTER TABLE deliveries DROP CONSTRAINT deliveries_state_check;
ALTER TABLE deliveries ADD CONSTRAINT deliveries_state_check CHECK (state IN ('waiting', 'held', 'rendering', 'proving', 'proven', 'failed', 'cancelled'));
CREATE INDEX deliveries_by_reel ON deliveries (reel_id, id);

-- +goose Down
DROP INDEX deliveries_by_reel;
UPDATE deliveries SET state = 'cancelled' WHERE state = 'held';
ALTER TABLE deliveries DROP CONSTRAINT deliveries_state_check;
ALTER TABLE deliveries ADD CONSTRAINT deliveries_state_check CHECK (state IN ('waiting', 'rendering', 'proving', 'proven', 'failed', 'cancelled'));
ALTER TABLE deliveries DROP version, DROP test, DROP began_at;
ALTER TABLE specs DROP shipped;
ALTER TABLE reels DROP spec_id, DROP family;
