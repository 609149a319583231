-- +goose Up

-- What one edit of thousands of clips says is megabytes: LZ4 (PostgreSQL 14 on, where it was built with it) packs it several times as
-- fast as what PostgreSQL packs with by itself, while others of the production wait. What is there already stays as it is packed.
-- +goose StatementBegin
DO $$
DECLARE c record;
BEGIN
    FOR c IN SELECT table_name, column_name FROM information_schema.columns
        WHERE table_schema = current_schema() AND data_type = 'jsonb' AND table_name IN ('reels', 'reel_log', 'edits', 'deliveries', 'prints', 'writings', 'takes', 'files', 'laybacks')
    LOOP
        EXECUTE format('ALTER TABLE %I ALTER COLUMN %I SET COMPRESSION lz4', c.table_name, c.column_name);
    END LOOP;
EXCEPTION WHEN feature_not_supported OR invalid_parameter_value THEN
    NULL; -- this PostgreSQL has no LZ4
END $$;
-- +goose StatementEnd

-- +goose Down
-- +goose StatementBegin
DO $$
DECLARE c record;
BEGIN
    FOR c IN SELECT table_name, column_name FROM information_schema.columns
        WHERE table_schema = current_schema() AND data_type = 'jsonb' AND table_name IN ('reels', 'reel_log', 'edits', 'deliveries', 'prints', 'writings', 'takes', 'files', 'laybacks')
    LOOP
        EXECUTE format('ALTER TABLE %I ALTER COLUMN %I SET COMPRESSION DEFAULT', c.table_name, c.column_name);
    END LOOP;
END $$;
-- +goose StatementEnd
