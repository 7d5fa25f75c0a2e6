-- +goose Up
CREATE TABLE IF NOT EXISTS fans (
  rig_id   BIGINT       NOT NULL,
  header   VARCHAR(100) NOT NULL,
  role     VARCHAR(10)  NOT NULL,
  learnt   JSON         NULL,
  problem  VARCHAR(500) NOT NULL DEFAULT '',
  trial_id BIGINT       NULL,
  at       DATETIME(6)  NOT NULL,
  PRIMARY KEY (rig_id, header),
  FOREIGN KEY (rig_id) REFERENCES rigs (id) ON DELETE CASCADE,
  FOREIGN KEY (trial_id) REFERENCES trials (id) ON DELETE SET NULL
);

-- +goose Down
DROP TABLE IF EXISTS fans;
