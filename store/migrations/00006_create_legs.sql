-- +goose Up
CREATE TABLE IF NOT EXISTS legs (
  id           BIGINT      NOT NULL AUTO_INCREMENT PRIMARY KEY,
  trial_id     BIGINT      NOT NULL,
  position     INT         NOT NULL,
  load_kind    VARCHAR(20) NOT NULL,
  yardstick_id VARCHAR(40) NOT NULL DEFAULT '',
  cores        JSON        NOT NULL,
  seconds      DOUBLE      NOT NULL,
  inject       JSON        NULL,
  order_id     VARCHAR(64) NULL UNIQUE,
  state        VARCHAR(20) NOT NULL,
  boot_id      VARCHAR(64) NOT NULL DEFAULT '',
  in_force     BOOLEAN     NOT NULL DEFAULT TRUE,
  stream       VARCHAR(64) NOT NULL DEFAULT '',
  ordered_at   DATETIME(6) NULL,
  started_ms   BIGINT      NULL,
  seen_s       DOUBLE      NOT NULL DEFAULT 0,
  finished     JSON        NULL,
  limiters     JSON        NULL,
  result       JSON        NULL,
  figures      JSON        NULL,
  score        DOUBLE      NULL,
  UNIQUE (trial_id, position),
  FOREIGN KEY (trial_id) REFERENCES trials (id)
);

-- +goose Down
DROP TABLE IF EXISTS legs;
