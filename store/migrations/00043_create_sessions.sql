-- +goose Up
CREATE TABLE IF NOT EXISTS sessions (
  id         BIGINT       NOT NULL AUTO_INCREMENT PRIMARY KEY,
  rig_id     BIGINT       NOT NULL,
  base_trim_id  BIGINT    NOT NULL,
  other_trim_id BIGINT    NOT NULL,
  blocks     JSON         NOT NULL,
  yardsticks JSON         NOT NULL,
  block      INT          NOT NULL DEFAULT 0,
  fitting_id BIGINT       NULL,
  end_asked  BOOLEAN      NOT NULL DEFAULT FALSE,
  problem    VARCHAR(300) NOT NULL DEFAULT '',
  created_at DATETIME(6)  NOT NULL,
  ended_at   DATETIME(6)  NULL,
  KEY (rig_id),
  KEY (ended_at),
  FOREIGN KEY (rig_id) REFERENCES rigs (id)
);
ALTER TABLE trials
  ADD COLUMN IF NOT EXISTS session_id BIGINT NULL,
  ADD COLUMN IF NOT EXISTS session_block INT NULL,
  ADD UNIQUE KEY IF NOT EXISTS session_id (session_id, session_block);

-- +goose Down
ALTER TABLE trials DROP KEY IF EXISTS session_id, DROP COLUMN IF EXISTS session_block, DROP COLUMN IF EXISTS session_id;
DROP TABLE IF EXISTS sessions;
