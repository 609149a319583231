-- +goose Up
-- Treatments that are kept under a name, shared by all productions. doc is core/treat.Setting.
CREATE TABLE treatments (
    id   uuid PRIMARY KEY,
    name text NOT NULL UNIQUE,
    doc  jsonb NOT NULL
);

-- +goose Down
DROP TABLE treatments;
