-- +goose Up
-- The strands that a reel plays, kept with it: so that it is known what is in use without reading reels.
CREATE TABLE reel_strands (
	reel_id   uuid NOT NULL REFERENCES reels ON DELETE CASCADE,
	strand_id uuid NOT NULL,
	PRIMARY KEY (reel_id, strand_id)
);
CREATE INDEX reel_strands_strand ON reel_strands (strand_id);
-- Reels of the first format name one sound a clip: a strand, or both of a mid-side pair.
INSERT INTO reel_strands
SELECT DISTINCT r.id, s::uuid
FROM reels r, jsonb_array_elements(r.doc->'tracks') t, jsonb_array_elements(t->'clips') c, regexp_split_to_table(c->>'strand', '[+~]') s;

-- +goose Down
DROP TABLE reel_strands;
