-- +goose Up
-- The attempt that a delivery's or a writing's files are of: each has a folder of its own, and what an earlier one
-- still does when another has begun counts for nothing. NULL before the first, and for what was made earlier.
ALTER TABLE deliveries ADD attempt uuid;
ALTER TABLE writings   ADD attempt uuid;

-- +goose Down
ALTER TABLE deliveries DROP attempt;
ALTER TABLE writings   DROP attempt;
