-- +goose Up
-- Deliveries, takes that are written out and prints are one thing, an order: core/order has the kinds, the states and the moves.
CREATE TABLE orders (
    id            uuid PRIMARY KEY,
    production_id uuid NOT NULL REFERENCES productions,
    kind          text NOT NULL CHECK (kind IN ('delivery', 'writing', 'print')),
    reel_id       uuid REFERENCES reels,                    -- NULL for what is of no reel
    plan          jsonb NOT NULL,           -- core/delivery.Plan, internal/app.Writing or core/printing.Print, frozen
    name          text NOT NULL,                            -- of the spec, of the take, or of what is printed
    says          text NOT NULL,                            -- the reel, how the take is packed, or the tracks that are printed
    frames        bigint NOT NULL,
    sample_rate   integer NOT NULL,                         -- of the files; 0 where it is that of the recording
    session       text NOT NULL DEFAULT '',                 -- who ordered it
    state         text NOT NULL CHECK (state IN ('waiting', 'held', 'making', 'proving', 'laying', 'proven', 'failed', 'cancelled')),
    error_code    text NOT NULL DEFAULT '',
    error_message text NOT NULL DEFAULT '',
    proof         jsonb,                    -- core/delivery.Proof, or core/poly.FileProof, a file each
    job_id        bigint,
    attempt       uuid,                                     -- whose files count
    ordered_at    timestamptz NOT NULL DEFAULT now(),
    began_at      timestamptz,
    finished_at   timestamptz,
    -- Of deliveries.
    version       integer NOT NULL DEFAULT 0,               -- of the reel's family to the spec
    test          boolean NOT NULL DEFAULT false,
    family        uuid,                                     -- of the reel where no other has the version
    clipped       bigint NOT NULL DEFAULT 0,
    damaged       jsonb,                                    -- why its files are not what was proven any more
    checked_at    timestamptz,
    signature     jsonb,
    -- Of prints.
    file_id       uuid REFERENCES files ON DELETE SET NULL  -- what it became
);

-- As the other documents are packed (0033), before any is put in.
-- +goose StatementBegin
DO $$
BEGIN
    ALTER TABLE orders ALTER plan SET COMPRESSION lz4, ALTER proof SET COMPRESSION lz4;
EXCEPTION WHEN feature_not_supported OR invalid_parameter_value THEN
    NULL; -- this PostgreSQL has no LZ4
END $$;
-- +goose StatementEnd

INSERT INTO orders (id, production_id, kind, reel_id, plan, name, says, frames, sample_rate, state, error_code, error_message, proof, job_id, attempt, ordered_at, began_at, finished_at,
        version, test, family, clipped, damaged, checked_at, signature)
    SELECT id, production_id, 'delivery', reel_id, plan, coalesce(plan->'order'->'spec'->>'name', ''), coalesce(plan->'order'->'titles'->>'reel', ''), coalesce((plan->>'frames')::bigint, 0),
        coalesce((plan->'rates'->>'files')::int, 0), CASE state WHEN 'rendering' THEN 'making' ELSE state END, error_code, error_message, proof, job_id, attempt, ordered_at, began_at, finished_at,
        version, test, family, clipped, damaged, checked_at, signature
    FROM deliveries;
INSERT INTO orders (id, production_id, kind, plan, name, says, frames, sample_rate, state, error_code, error_message, proof, job_id, attempt, ordered_at, finished_at)
    SELECT id, production_id, 'writing', body, take_name, coalesce(body->>'packing', ''), coalesce((body->>'frames')::bigint, 0), 0, CASE state WHEN 'writing' THEN 'making' ELSE state END,
        error_code, error_message, proof, job_id, attempt, ordered_at, finished_at
    FROM writings;
INSERT INTO orders (id, production_id, kind, reel_id, plan, name, says, frames, sample_rate, session, state, error_code, error_message, job_id, attempt, ordered_at, began_at, file_id)
    SELECT id, production_id, 'print', reel_id, body, coalesce(body->>'name', ''), coalesce((SELECT string_agg(t, ', ') FROM jsonb_array_elements_text(nullif(body->'of', 'null')) t), ''), coalesce((body->'plan'->>'frames')::bigint, 0),
        coalesce((body->'plan'->'rates'->>'files')::int, 0), session, CASE state WHEN 'rendering' THEN 'making' ELSE state END, error_code, error_message, job_id, attempt, ordered_at, began_at, file_id
    FROM prints;
DROP TABLE deliveries, writings, prints;

CREATE INDEX orders_by_production ON orders (production_id, kind, id);
CREATE INDEX orders_unfinished ON orders (production_id) WHERE state NOT IN ('proven', 'cancelled');
CREATE INDEX orders_by_reel ON orders (reel_id, id);
CREATE INDEX orders_by_file ON orders (file_id);
CREATE UNIQUE INDEX orders_by_version ON orders (family, name, version) WHERE family IS NOT NULL;

-- +goose Down
CREATE TABLE deliveries AS SELECT id, production_id, reel_id, plan, CASE state WHEN 'making' THEN 'rendering' ELSE state END AS state, error_code, error_message, clipped, proof, job_id, ordered_at, finished_at,
    attempt, version, test, began_at, family, name AS spec_name, damaged, checked_at, signature FROM orders WHERE kind = 'delivery';
ALTER TABLE deliveries ADD PRIMARY KEY (id), ADD FOREIGN KEY (production_id) REFERENCES productions, ADD FOREIGN KEY (reel_id) REFERENCES reels,
    ALTER error_code SET DEFAULT '', ALTER error_message SET DEFAULT '', ALTER clipped SET DEFAULT 0, ALTER ordered_at SET DEFAULT now(), ALTER version SET DEFAULT 1, ALTER test SET DEFAULT false;
ALTER TABLE deliveries ADD CONSTRAINT deliveries_state_check CHECK (state IN ('waiting', 'held', 'rendering', 'proving', 'proven', 'failed', 'cancelled'));
CREATE INDEX deliveries_by_production ON deliveries (production_id, id);
CREATE INDEX deliveries_by_reel ON deliveries (reel_id, id);
CREATE INDEX deliveries_unfinished ON deliveries (production_id) WHERE state IN ('waiting', 'held', 'rendering', 'proving');
CREATE UNIQUE INDEX deliveries_by_version ON deliveries (family, spec_name, version) WHERE family IS NOT NULL;
CREATE TABLE writings AS SELECT id, production_id, name AS take_name, plan AS body, CASE state WHEN 'making' THEN 'writing' ELSE state END AS state, error_code, error_message, proof, job_id, ordered_at,
    attempt, finished_at FROM orders WHERE kind = 'writing';
ALTER TABLE writings ADD PRIMARY KEY (id), ADD FOREIGN KEY (production_id) REFERENCES productions, ALTER error_code SET DEFAULT '', ALTER error_message SET DEFAULT '', ALTER ordered_at SET DEFAULT now();
ALTER TABLE writings ADD CONSTRAINT writings_state_check CHECK (state IN ('waiting', 'held', 'writing', 'proving', 'proven', 'failed', 'cancelled'));
CREATE INDEX writings_by_production ON writings (production_id, id);
CREATE INDEX writings_unfinished ON writings (production_id) WHERE state IN ('waiting', 'held', 'writing', 'proving', 'failed');
CREATE TABLE prints AS SELECT id, production_id, reel_id, plan AS body, session, CASE state WHEN 'making' THEN 'rendering' ELSE state END AS state, error_code, error_message, file_id, job_id, attempt,
    began_at, ordered_at FROM orders WHERE kind = 'print';
ALTER TABLE prints ADD PRIMARY KEY (id), ADD FOREIGN KEY (production_id) REFERENCES productions, ADD FOREIGN KEY (reel_id) REFERENCES reels, ADD FOREIGN KEY (file_id) REFERENCES files ON DELETE SET NULL,
    ALTER session SET DEFAULT '', ALTER error_code SET DEFAULT '', ALTER error_message SET DEFAULT '', ALTER ordered_at SET DEFAULT now();
ALTER TABLE prints ADD CONSTRAINT prints_state_check CHECK (state IN ('waiting', 'held', 'rendering', 'proving', 'laying', 'proven', 'failed', 'cancelled'));
CREATE INDEX prints_unfinished ON prints (production_id) WHERE state NOT IN ('proven', 'cancelled');
CREATE INDEX prints_by_reel ON prints (reel_id);
CREATE INDEX prints_by_file ON prints (file_id);
DROP TABLE orders;
