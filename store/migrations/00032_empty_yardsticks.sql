-- +goose Up
DELETE FROM yardsticks;

-- +goose Down
INSERT IGNORE INTO yardsticks (id, name, unit, better, load_kind, seconds, runs)
  SELECT DISTINCT yardstick_id, yardstick_id, '', 'higher', 'heavy', 60, 3 FROM scores;
