-- +goose Up
ALTER TABLE takes
    ADD start_was bigint,                        -- as its files say
    ADD start_set bigint;                        -- by lining it up; what counts where it is there
UPDATE takes SET start_was = start_samples;

-- Takes that are lined up: take against ref_take, which stays where it is.
CREATE TABLE syncs (
    id            uuid PRIMARY KEY,
    production_id uuid NOT NULL REFERENCES productions,
    ref_take      uuid NOT NULL REFERENCES takes ON DELETE CASCADE,
    take          uuid NOT NULL REFERENCES takes ON DELETE CASCADE,
    why           text NOT NULL,                 -- what makes them a pair
    state         text NOT NULL CHECK (state IN ('proposed', 'aligning', 'aligned', 'doubtful', 'none', 'failed', 'accepted', 'refused')),
    body          jsonb NOT NULL DEFAULT '{}',   -- core/sync.Alignment
    error_message text NOT NULL DEFAULT '',
    UNIQUE (ref_take, take)
);
CREATE INDEX syncs_by_production ON syncs (production_id, id);

-- +goose Down
DROP TABLE syncs;
ALTER TABLE takes DROP start_was, DROP start_set;
