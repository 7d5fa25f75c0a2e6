-- +goose Up
INSERT IGNORE INTO yardsticks (id, name, unit, better)
SELECT 'big-number', 'Big-number time, as it was', 's', 'lower' FROM scores WHERE yardstick_id = 'big-number' LIMIT 1;

-- +goose Down
DELETE FROM yardsticks WHERE id = 'big-number';
