-- +goose Up
CREATE TABLE IF NOT EXISTS fittings (
  id           BIGINT      NOT NULL AUTO_INCREMENT PRIMARY KEY,
  rig_id       BIGINT      NOT NULL,
  trim_id      BIGINT      NOT NULL,
  state        VARCHAR(20) NOT NULL,
  failed_in    VARCHAR(20) NOT NULL DEFAULT '',
  boot_before  VARCHAR(64) NOT NULL DEFAULT '',
  acted_at     DATETIME(6) NOT NULL,
  found        JSON        NULL,
  differences  JSON        NULL,
  problem      TEXT        NOT NULL,
  rig_clock    DATETIME(6) NOT NULL,
  created_at   DATETIME(6) NOT NULL,
  ended_at     DATETIME(6) NULL,
  KEY (rig_id, id),
  KEY (ended_at),
  FOREIGN KEY (rig_id) REFERENCES rigs (id),
  FOREIGN KEY (trim_id) REFERENCES trims (id)
);

-- +goose Down
DROP TABLE IF EXISTS fittings;
