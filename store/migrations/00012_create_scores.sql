-- +goose Up
CREATE TABLE IF NOT EXISTS scores (
  id           BIGINT      NOT NULL AUTO_INCREMENT PRIMARY KEY,
  rig_id       BIGINT      NOT NULL,
  trim_id      BIGINT      NOT NULL,
  leg_id       BIGINT      NOT NULL UNIQUE,
  yardstick_id VARCHAR(40) NOT NULL,
  value        DOUBLE      NOT NULL,
  rig_clock    DATETIME(6) NOT NULL,
  KEY (rig_id, trim_id),
  FOREIGN KEY (leg_id) REFERENCES legs (id),
  FOREIGN KEY (yardstick_id) REFERENCES yardsticks (id)
);

-- +goose Down
DROP TABLE IF EXISTS scores;
