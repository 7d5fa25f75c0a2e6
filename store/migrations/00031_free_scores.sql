-- +goose Up
ALTER TABLE scores
  DROP FOREIGN KEY IF EXISTS scores_ibfk_2,
  MODIFY leg_id BIGINT NULL,
  ADD COLUMN IF NOT EXISTS note VARCHAR(200) NOT NULL DEFAULT '';

-- +goose Down
DELETE FROM scores WHERE leg_id IS NULL;
ALTER TABLE scores
  DROP COLUMN IF EXISTS note,
  MODIFY leg_id BIGINT NOT NULL,
  ADD CONSTRAINT scores_ibfk_2 FOREIGN KEY (yardstick_id) REFERENCES yardsticks (id);
