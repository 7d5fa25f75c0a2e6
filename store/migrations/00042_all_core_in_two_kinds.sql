-- +goose Up
-- All-core scores of fixed work are those of no yardstick that rigs still take; they stay comparable among themselves.
INSERT IGNORE INTO yardsticks (id, name, unit, better)
  SELECT 'all-core', 'All-core throughput', 'pt', 'higher' FROM DUAL WHERE EXISTS (SELECT 1 FROM scores WHERE yardstick_id = 'all-core');

-- +goose Down
DELETE FROM yardsticks WHERE id = 'all-core';
