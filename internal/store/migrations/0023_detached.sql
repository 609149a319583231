-- +goose Up
-- Edits of before, in the log, name the cell as it was called then; app reads it under both names.
ALTER TABLE strands RENAME loose TO detached;

-- +goose Down
ALTER TABLE strands RENAME detached TO loose;
