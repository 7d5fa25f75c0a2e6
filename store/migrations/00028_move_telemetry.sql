-- +goose Up
INSERT IGNORE INTO telemetry (leg_id, channel_id, t0, t1, level, body)
  SELECT b.leg_id, c.id, b.t0, b.t1, '', b.body FROM telemetry_blocks b JOIN channels c ON c.name = b.channel;

-- +goose Down
DELETE FROM telemetry;
