-- +goose Up
CREATE TABLE IF NOT EXISTS link_codes (
  rig_id      BIGINT      NOT NULL PRIMARY KEY,
  secret_hash BINARY(32)  NOT NULL UNIQUE,
  expires_at  DATETIME(6) NOT NULL,
  ticket_hash BINARY(32)  NULL,
  facts       JSON        NULL,
  taken_in    BOOLEAN     NOT NULL DEFAULT FALSE,
  FOREIGN KEY (rig_id) REFERENCES rigs (id) ON DELETE CASCADE
);

-- +goose Down
DROP TABLE IF EXISTS link_codes;
