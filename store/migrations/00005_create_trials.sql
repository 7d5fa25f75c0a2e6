-- +goose Up
CREATE TABLE IF NOT EXISTS trials (
  id           BIGINT      NOT NULL AUTO_INCREMENT PRIMARY KEY,
  rig_id       BIGINT      NOT NULL,
  trim_id      BIGINT      NOT NULL,
  number       INT         NOT NULL,
  name         VARCHAR(80) NOT NULL,
  purpose      VARCHAR(10) NOT NULL,
  state        VARCHAR(20) NOT NULL,
  stop_asked   BOOLEAN     NOT NULL DEFAULT FALSE,
  acted_at     DATETIME(6) NOT NULL,
  boot_at_end  VARCHAR(64) NOT NULL DEFAULT '',
  result       JSON        NULL,
  started_at   DATETIME(6) NULL,
  created_at   DATETIME(6) NOT NULL,
  ended_at     DATETIME(6) NULL,
  UNIQUE (rig_id, number),
  KEY (ended_at),
  FOREIGN KEY (rig_id) REFERENCES rigs (id),
  FOREIGN KEY (trim_id) REFERENCES trims (id)
);

-- +goose Down
DROP TABLE IF EXISTS trials;
