-- +goose Up

-- sums are the strands of a take that are but a mix of others; beside is what it was compared with that was recorded at the
-- same time, and beside_sum what came of it.
ALTER TABLE takes
    ADD COLUMN sums jsonb NOT NULL DEFAULT '[]',
    ADD COLUMN beside text NOT NULL DEFAULT '',
    ADD COLUMN beside_sum jsonb;

-- +goose Down
ALTER TABLE takes DROP COLUMN sums, DROP COLUMN beside, DROP COLUMN beside_sum;
