-- Who may use the bench, who is logged in, and what they did.
-- +goose Up
CREATE TABLE IF NOT EXISTS accounts (
  id         BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name       VARCHAR(80) NOT NULL,
  role       VARCHAR(10) NOT NULL,
  password   VARCHAR(200) NOT NULL, -- argon2id
  version    BIGINT NOT NULL DEFAULT 1, -- raised by whatever ends the logins of before
  closed     BOOLEAN NOT NULL DEFAULT FALSE,
  created_at DATETIME(6) NOT NULL,
  UNIQUE KEY (name)
);
CREATE TABLE IF NOT EXISTS logins (
  token      VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL PRIMARY KEY, -- its hash
  data       BLOB NOT NULL,
  expires_at DATETIME(6) NOT NULL,
  KEY (expires_at)
);
CREATE TABLE IF NOT EXISTS traces (
  id       BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  at       DATETIME(6) NOT NULL,
  name     VARCHAR(80) NOT NULL,
  role     VARCHAR(10) NOT NULL,
  from_ip  VARCHAR(45) NOT NULL,
  deed     VARCHAR(60) NOT NULL, -- the operation of the API
  path     VARCHAR(300) NOT NULL,
  status   INT NOT NULL, -- of the answer; 0 until it is given
  KEY (at)
);

-- +goose Down
DROP TABLE IF EXISTS traces;
DROP TABLE IF EXISTS logins;
DROP TABLE IF EXISTS accounts;
