-- +goose Up
CREATE TABLE IF NOT EXISTS rigs (
  id                BIGINT       NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name              VARCHAR(60)  NOT NULL UNIQUE,
  simulated         BOOLEAN      NOT NULL,
  ambient_c         DOUBLE       NOT NULL,
  processor_id      VARCHAR(40)  NULL,
  board_id          VARCHAR(40)  NULL,
  cooler_id         VARCHAR(40)  NULL,
  memory_id         VARCHAR(40)  NULL,
  firmware_address  VARCHAR(200) NOT NULL,
  firmware_user     VARCHAR(100) NOT NULL,
  firmware_password VARCHAR(200) NOT NULL,
  token_hash        BINARY(32)   NOT NULL UNIQUE,
  trim_in_force     BIGINT       NULL,
  boot_id           VARCHAR(64)  NOT NULL DEFAULT '',
  facts             JSON         NULL,
  channels          JSON         NULL,
  created_at        DATETIME(6)  NOT NULL
);

-- +goose Down
DROP TABLE IF EXISTS rigs;
