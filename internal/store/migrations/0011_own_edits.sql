-- +goose Up
-- Whose edit it was, and what it touched: undo takes back one's own, and nothing that somebody else has changed since.
-- An edit of no session is everybody's.
ALTER TABLE edits
	ADD session text   NOT NULL DEFAULT '',
	ADD touched text[] NOT NULL DEFAULT '{}';

-- +goose Down
ALTER TABLE edits DROP session, DROP touched;
