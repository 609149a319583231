-- +goose Up
ALTER TABLE takes
    ADD relations jsonb NOT NULL DEFAULT '[]', -- core/survey.Relation: between the members of a set of files
    ADD related   text NOT NULL DEFAULT '';    -- the members, in order, that they were found between

-- +goose Down
ALTER TABLE takes DROP relations, DROP related;
