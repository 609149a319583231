-- +goose Up
ALTER TABLE files
    ADD working_path text NOT NULL DEFAULT '',     -- sound decoded from a file with pictures, below the media folder
    ADD set_keys     text[] NOT NULL DEFAULT '{}', -- of the sets of mono files it may belong to
    ADD pinned       boolean NOT NULL DEFAULT false, -- a person put it into its take
    ADD alone        boolean NOT NULL DEFAULT false; -- and wants it by itself
CREATE INDEX files_by_set ON files USING gin (set_keys) WHERE state = 'ready';

DROP INDEX takes_by_set;
ALTER TABLE takes
    DROP set_key,
    ADD false_start    boolean NOT NULL DEFAULT false,
    ADD scene_was      text NOT NULL DEFAULT '',     -- as recorded
    ADD take_was       text NOT NULL DEFAULT '',
    ADD recorder       text NOT NULL DEFAULT '',
    ADD day            text NOT NULL DEFAULT '',
    ADD longest        bigint NOT NULL DEFAULT 0,    -- frames of its longest member
    ADD readings       jsonb NOT NULL DEFAULT '[]',  -- core/take.Reading
    ADD why            text NOT NULL DEFAULT '',     -- what makes its files one take
    ADD order_words    text NOT NULL DEFAULT '',
    ADD certain        boolean NOT NULL DEFAULT true, -- the grouping needs no person's eye
    ADD accepted       boolean NOT NULL DEFAULT false, -- a person has said that it is right
    ADD missing_remedy text NOT NULL DEFAULT '' CHECK (missing_remedy IN ('', 'wait', 'without')),
    ADD length_remedy  text NOT NULL DEFAULT '' CHECK (length_remedy IN ('', 'pad', 'shortest'));
UPDATE takes SET scene_was = scene, take_was = take, longest = frames;

ALTER TABLE strands
    ADD stem  text NOT NULL DEFAULT '',
    ADD part  text NOT NULL DEFAULT '',
    ADD treat jsonb NOT NULL DEFAULT '{}',           -- core/treat.Treatment
    ADD shape bytea NOT NULL DEFAULT '';             -- peaks in equal steps of its length, 255 = full scale

-- What a recording's sound or labels say about its strands.
CREATE TABLE suggestions (
    id            uuid PRIMARY KEY,
    production_id uuid NOT NULL REFERENCES productions,
    take_id       uuid NOT NULL REFERENCES takes ON DELETE CASCADE,
    body          jsonb NOT NULL,                    -- core/take.Suggestion
    state         text NOT NULL DEFAULT 'open' CHECK (state IN ('open', 'accepted', 'refused'))
);
CREATE INDEX suggestions_by_take ON suggestions (take_id, id);

-- Labels by recorder and number of channels, to be applied to takes.
CREATE TABLE label_templates (
    id            uuid PRIMARY KEY,
    production_id uuid NOT NULL REFERENCES productions,
    name          text NOT NULL,
    recorder      text NOT NULL,                     -- empty: any
    labels        jsonb NOT NULL,                    -- a label, stem and part a channel
    UNIQUE (production_id, name)
);

-- Takes written out as files, an item a take.
CREATE TABLE writings (
    id            uuid PRIMARY KEY,
    production_id uuid NOT NULL REFERENCES productions,
    take_name     text NOT NULL,
    body          jsonb NOT NULL,                    -- internal/app.Writing
    state         text NOT NULL CHECK (state IN ('waiting', 'writing', 'proving', 'proven', 'failed')),
    error_code    text NOT NULL DEFAULT '',
    error_message text NOT NULL DEFAULT '',
    proof         jsonb,                             -- core/poly.FileProof, a file each
    job_id        bigint,
    ordered_at    timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX writings_by_production ON writings (production_id, id);

-- +goose Down
DROP TABLE writings, label_templates, suggestions;
ALTER TABLE strands DROP stem, DROP part, DROP treat, DROP shape;
ALTER TABLE takes DROP false_start, DROP scene_was, DROP take_was, DROP recorder, DROP day, DROP longest, DROP readings, DROP why,
    DROP order_words, DROP certain, DROP accepted, DROP missing_remedy, DROP length_remedy, ADD set_key text NOT NULL DEFAULT '';
CREATE INDEX takes_by_set ON takes (production_id, set_key) WHERE set_key <> '';
DROP INDEX files_by_set;
ALTER TABLE files DROP working_path, DROP set_keys, DROP pinned, DROP alone;
