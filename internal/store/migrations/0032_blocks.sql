-- +goose Up

-- The hashes of every block of files that were read whole: originals, working copies of their sound, files of proven
-- deliveries, each by the hash of the whole file (core/blockhash). What is read later is compared with them on the way.
CREATE TABLE blocks (
    hash text PRIMARY KEY,
    sums bytea NOT NULL
);
ALTER TABLE blocks ALTER sums SET STORAGE EXTERNAL; -- hashes don't compress

-- The hash of the working copy of a file's sound, and when all that is kept of a file was last read and compared.
ALTER TABLE files ADD working_hash text NOT NULL DEFAULT '', ADD checked_at timestamptz;

-- Why files of a proven delivery are not what was proven any more, and when they were last read and compared; the
-- installation's signature of its proof.
ALTER TABLE deliveries ADD damaged jsonb, ADD checked_at timestamptz, ADD signature jsonb;

-- When a take's files were read back, so that what was written to since is known.
ALTER TABLE writings ADD finished_at timestamptz;

-- +goose Down
ALTER TABLE writings DROP finished_at;
ALTER TABLE deliveries DROP damaged, DROP checked_at, DROP signature;
ALTER TABLE files DROP working_hash, DROP checked_at;
DROP TABLE blocks;
