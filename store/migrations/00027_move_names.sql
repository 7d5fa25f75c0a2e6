-- +goose Up
INSERT IGNORE INTO channels (name) SELECT DISTINCT channel FROM telemetry_blocks;

-- +goose Down
DELETE FROM channels;
