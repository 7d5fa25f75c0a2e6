-- +goose Up
ALTER TABLE scores
  DROP FOREIGN KEY scores_ibfk_2,
  MODIFY leg_id BIGINT NULL,
  ADD COLUMN note VARCHAR(200) NOT NULL DEFAULT '';

-- +goose Down
DELETE FROM scores WHERE leg_id IS NULL;
ALTER TABLE scores
  DROP COLUMN note,
  MODIFY leg_id BIGINT NOT NULL,
  ADD CONSTRAINT scores_ibfk_2 FOREIGN KEY (yardstick_id) REFERENCES yardsticks (id);
