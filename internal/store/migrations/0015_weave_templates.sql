-- +goose Up
-- Weaves that are kept under a name, shared by all productions. doc is core/weave.Template.
CREATE TABLE weave_templates (
    id   uuid PRIMARY KEY,
    name text NOT NULL UNIQUE,
    doc  jsonb NOT NULL
);

-- +goose Down
DROP TABLE weave_templates;
