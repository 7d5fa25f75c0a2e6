-- +goose Up
CREATE TABLE IF NOT EXISTS pilots (
  id          BIGINT       NOT NULL AUTO_INCREMENT PRIMARY KEY,
  rig_id      BIGINT       NOT NULL,
  base_trim_id BIGINT      NOT NULL,
  plan        JSON         NOT NULL,
  state       VARCHAR(20)  NOT NULL,
  pause_asked BOOLEAN      NOT NULL DEFAULT FALSE,
  end_asked   BOOLEAN      NOT NULL DEFAULT FALSE,
  step        INT          NOT NULL DEFAULT 0,
  progress    JSON         NOT NULL,
  problem     VARCHAR(300) NOT NULL DEFAULT '',
  rig_began   DATETIME(6)  NOT NULL,
  rig_ended   DATETIME(6)  NULL,
  created_at  DATETIME(6)  NOT NULL,
  ended_at    DATETIME(6)  NULL,
  KEY (rig_id),
  KEY (ended_at),
  FOREIGN KEY (rig_id) REFERENCES rigs (id)
);
ALTER TABLE trials
  ADD COLUMN IF NOT EXISTS pilot_id BIGINT NULL,
  ADD COLUMN IF NOT EXISTS pilot_order INT NULL,
  ADD UNIQUE KEY IF NOT EXISTS pilot_id (pilot_id, pilot_order);
ALTER TABLE trims ADD COLUMN IF NOT EXISTS pilot_id BIGINT NULL;

-- +goose Down
ALTER TABLE trims DROP COLUMN IF EXISTS pilot_id;
ALTER TABLE trials DROP KEY IF EXISTS pilot_id, DROP COLUMN IF EXISTS pilot_order, DROP COLUMN IF EXISTS pilot_id;
DROP TABLE IF EXISTS pilots;
