-- +goose Up
-- Lists of takes ask for the pairs of each; without these the rows of a take that goes are looked for in all of them, too.
CREATE INDEX syncs_by_take ON syncs (take);
CREATE INDEX syncs_by_reference ON syncs (ref_take);
CREATE INDEX files_with_picture ON files (id) WHERE has_picture;

-- +goose Down
DROP INDEX syncs_by_take, syncs_by_reference, files_with_picture;
