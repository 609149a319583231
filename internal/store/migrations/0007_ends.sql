-- +goose Up
ALTER TABLE productions
    ADD archived boolean NOT NULL DEFAULT false,
    ADD removal  timestamptz;                        -- when it goes for good; null while nobody has removed it
CREATE INDEX productions_going ON productions (removal) WHERE removal IS NOT NULL;

-- +goose Down
DROP INDEX productions_going;
ALTER TABLE productions DROP archived, DROP removal;
