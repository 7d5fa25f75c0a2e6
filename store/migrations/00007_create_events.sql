-- +goose Up
CREATE TABLE IF NOT EXISTS events (
  id       BIGINT       NOT NULL AUTO_INCREMENT PRIMARY KEY,
  leg_id   BIGINT       NOT NULL,
  kind     VARCHAR(20)  NOT NULL,
  at_s     DOUBLE       NOT NULL,
  core     INT          NOT NULL,
  injected BOOLEAN      NOT NULL,
  note     VARCHAR(500) NOT NULL,
  KEY (leg_id),
  FOREIGN KEY (leg_id) REFERENCES legs (id)
);

-- +goose Down
DROP TABLE IF EXISTS events;
