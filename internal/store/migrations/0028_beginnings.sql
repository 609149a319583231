-- +goose Up
-- The template of a routing that new reels begin with, by its name: of a production, or of all where none is named.
CREATE TABLE beginnings (
    production_id uuid REFERENCES productions ON DELETE CASCADE,
    template      text NOT NULL,
    UNIQUE NULLS NOT DISTINCT (production_id)
);

-- +goose Down
DROP TABLE beginnings;
