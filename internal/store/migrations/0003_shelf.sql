-- +goose Up
ALTER TABLE files DROP CONSTRAINT files_origin_check;
ALTER TABLE files ADD CHECK (origin IN ('upload', 'shelf', 'linked')),
    ADD modified bigint NOT NULL DEFAULT 0,  -- of a linked original, at intake: Unix nanoseconds
    ADD lost     jsonb;                      -- core/snag.Snag: why a linked original can't be used now

-- Folders of the shelf that are looked at for new files.
CREATE TABLE watches (
    production_id uuid NOT NULL REFERENCES productions,
    path          text NOT NULL,
    PRIMARY KEY (production_id, path)
);

-- What was offered from there and is not wanted.
CREATE TABLE declined (
    production_id uuid NOT NULL REFERENCES productions,
    path          text NOT NULL,
    PRIMARY KEY (production_id, path)
);

-- Hash lists that came by themselves, not beside the media.
CREATE TABLE hash_lists (
    id            uuid PRIMARY KEY,
    production_id uuid NOT NULL REFERENCES productions,
    name          text NOT NULL,
    body          jsonb NOT NULL              -- core/mhl.List
);
CREATE INDEX hash_lists_by_production ON hash_lists (production_id, id);
CREATE INDEX files_linked ON files (id) WHERE origin = 'linked';

-- +goose Down
DROP TABLE hash_lists, declined, watches;
DROP INDEX files_linked;
ALTER TABLE files DROP CONSTRAINT files_origin_check, DROP modified, DROP lost;
UPDATE files SET origin = 'shelf' WHERE origin = 'linked';
ALTER TABLE files ADD CHECK (origin IN ('upload', 'shelf'));
