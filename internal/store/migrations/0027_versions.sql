-- +goose Up
-- Versions are of a family of reels and a spec, each once. Deliveries of before have neither here: two orders at once could get
-- the same version.
ALTER TABLE deliveries ADD family uuid, ADD spec_name text;
CREATE UNIQUE INDEX deliveries_by_version ON deliveries (family, spec_name, version) WHERE family IS NOT NULL;

-- +goose Down
DROP INDEX deliveries_by_version;
ALTER TABLE deliveries DROP family, DROP spec_name;
