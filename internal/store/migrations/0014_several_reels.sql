-- +goose Up
-- Several reels a production, in the order in which they were made; one that was removed is kept, so that it can be
-- brought back.
ALTER TABLE reels ADD removed boolean NOT NULL DEFAULT false;

-- +goose Down
DELETE FROM reels WHERE removed AND NOT EXISTS (SELECT FROM deliveries d WHERE d.reel_id = reels.id);
ALTER TABLE reels DROP removed;
