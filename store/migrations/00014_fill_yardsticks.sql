-- +goose Up
INSERT IGNORE INTO yardsticks (id, name, unit, better, load_kind, seconds, runs) VALUES
  ('all-core', 'All-core throughput', 'pt', 'higher', 'heavy', 60, 3),
  ('single-core', 'Single-core throughput', 'pt', 'higher', 'light', 40, 3);

-- +goose Down
DELETE FROM yardsticks WHERE id IN ('all-core', 'single-core');
