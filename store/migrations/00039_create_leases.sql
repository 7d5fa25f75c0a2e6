-- +goose Up
CREATE TABLE IF NOT EXISTS leases (
  rig_id     BIGINT      NOT NULL PRIMARY KEY,
  holder     VARCHAR(40) NOT NULL,
  epoch      BIGINT      NOT NULL,
  until      DATETIME(6) NOT NULL,
  steps      BIGINT      NOT NULL DEFAULT 0,
  linked     BOOLEAN     NOT NULL,
  simulated  BOOLEAN     NOT NULL DEFAULT FALSE,
  clock_ms   BIGINT      NOT NULL DEFAULT 0,
  clock_rate DOUBLE      NOT NULL DEFAULT 1,
  clock_at   DATETIME(6) NOT NULL,
  KEY (holder),
  FOREIGN KEY (rig_id) REFERENCES rigs (id) ON DELETE CASCADE
);

-- +goose Down
DROP TABLE IF EXISTS leases;
