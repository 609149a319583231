-- +goose Up

-- Layouts of one's own, by their names. Buses and specs hold a layout's speakers themselves: none of them needs this table.
CREATE TABLE layouts (
    id   uuid PRIMARY KEY,
    name text NOT NULL UNIQUE,
    doc  jsonb NOT NULL
);

-- +goose Down
DROP TABLE layouts;
