-- +goose Up

-- How tables that come in are read whose headings somebody has said the meaning of: by their headings, for all productions.
CREATE TABLE column_maps (
    kind   text NOT NULL,
    heads  text NOT NULL,
    fields jsonb NOT NULL,
    PRIMARY KEY (kind, heads)
);

-- +goose Down
DROP TABLE column_maps;
