-- +goose Up
CREATE TABLE IF NOT EXISTS fleet_lines (
  rig_id  BIGINT NOT NULL PRIMARY KEY,
  trim_id BIGINT NOT NULL,
  version BIGINT NOT NULL,
  line    JSON   NOT NULL,
  FOREIGN KEY (rig_id) REFERENCES rigs (id) ON DELETE CASCADE
);

-- +goose Down
DROP TABLE IF EXISTS fleet_lines;
