-- +goose Up
CREATE TABLE IF NOT EXISTS corrections (
  rig_id  BIGINT       NOT NULL,
  channel VARCHAR(100) NOT NULL,
  scale   DOUBLE       NOT NULL,
  shift   DOUBLE       NOT NULL,
  reason  VARCHAR(200) NOT NULL,
  set_at  DATETIME(6)  NOT NULL,
  PRIMARY KEY (rig_id, channel),
  FOREIGN KEY (rig_id) REFERENCES rigs (id)
);

-- +goose Down
DROP TABLE IF EXISTS corrections;
