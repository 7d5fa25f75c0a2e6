-- What was answered to requests that name a key, so that the same request sent again is not done again.
-- +goose Up
CREATE TABLE IF NOT EXISTS repeats (
  name   VARCHAR(160) CHARACTER SET ascii COLLATE ascii_bin NOT NULL PRIMARY KEY, -- who asked what, by which key
  at     DATETIME(6) NOT NULL,
  status INT NOT NULL, -- of the answer; 0 until it is given
  body   MEDIUMBLOB NOT NULL,
  KEY (at)
);

-- +goose Down
DROP TABLE IF EXISTS repeats;
