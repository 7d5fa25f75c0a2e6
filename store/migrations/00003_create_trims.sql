-- +goose Up
CREATE TABLE IF NOT EXISTS trims (
  id         BIGINT      NOT NULL AUTO_INCREMENT PRIMARY KEY,
  rig_id     BIGINT      NOT NULL,
  number     INT         NOT NULL,
  parent_id  BIGINT      NULL,
  name       VARCHAR(80) NOT NULL,
  reason     TEXT        NOT NULL,
  settings   JSON        NOT NULL,
  forecast   JSON        NULL,
  standing   VARCHAR(20) NOT NULL,
  verdict    VARCHAR(20) NOT NULL DEFAULT '',
  core       INT         NOT NULL DEFAULT -1,
  verdict_s  DOUBLE      NOT NULL DEFAULT 0,
  created_at DATETIME(6) NOT NULL,
  fitted_at  DATETIME(6) NULL,
  UNIQUE (rig_id, number),
  FOREIGN KEY (rig_id) REFERENCES rigs (id),
  FOREIGN KEY (parent_id) REFERENCES trims (id)
);

-- +goose Down
DROP TABLE IF EXISTS trims;
