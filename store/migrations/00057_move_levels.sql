-- +goose Up
INSERT IGNORE INTO telemetry_levels (leg_id, channel_id, t0, t1, level) SELECT leg_id, channel_id, t0, t1, level FROM telemetry;

-- +goose Down
DELETE FROM telemetry_levels;
