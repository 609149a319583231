-- +goose Up
ALTER TABLE takes
    ADD drift_set double precision NOT NULL DEFAULT 0, -- ppm that its clock ran fast: corrected when it is used
    ADD read_by_hand boolean NOT NULL DEFAULT false;   -- a person has said how its strands are read
UPDATE takes SET read_by_hand = true WHERE readings <> '[]';
ALTER TABLE strands
    ADD loose boolean NOT NULL DEFAULT false,          -- let go from its take
    ADD shift bigint NOT NULL DEFAULT 0;               -- samples it then lies late against its take
ALTER TABLE syncs
    ADD nudge bigint NOT NULL DEFAULT 0,               -- samples of the reference, by hand, on top of what was found
    ADD ref_strand uuid,                               -- that agree best: to be looked at and listened to
    ADD take_strand uuid;

-- Clocks of cameras that were off, by day.
CREATE TABLE clocks (
    production_id uuid NOT NULL REFERENCES productions,
    camera        text NOT NULL,
    day           text NOT NULL,
    late          bigint NOT NULL,                     -- its timecode is behind by so many samples
    rate          integer NOT NULL,                    -- of this rate in Hz
    PRIMARY KEY (production_id, camera, day)
);

-- +goose Down
DROP TABLE clocks;
ALTER TABLE syncs DROP nudge, DROP ref_strand, DROP take_strand;
ALTER TABLE strands DROP loose, DROP shift;
ALTER TABLE takes DROP drift_set, DROP read_by_hand;
