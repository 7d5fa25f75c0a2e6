-- +goose Up
CREATE TABLE IF NOT EXISTS notices (
  id       BIGINT       NOT NULL AUTO_INCREMENT PRIMARY KEY,
  rig_id   BIGINT       NOT NULL,
  watch_id BIGINT       NOT NULL,
  raised   BOOLEAN      NOT NULL,
  rule     JSON         NOT NULL,
  value    DOUBLE       NOT NULL,
  at       DATETIME(6)  NOT NULL,
  send     VARCHAR(300) NOT NULL,
  due_at   DATETIME(6)  NULL,
  tries    INT          NOT NULL DEFAULT 0,
  outcome  VARCHAR(200) NOT NULL DEFAULT '',
  KEY (rig_id, id),
  KEY (due_at),
  FOREIGN KEY (rig_id) REFERENCES rigs (id)
);

-- +goose Down
DROP TABLE IF EXISTS notices;
