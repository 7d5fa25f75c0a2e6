-- +goose Up
ALTER TABLE trims ADD COLUMN IF NOT EXISTS proof JSON NULL, DROP COLUMN IF EXISTS untried;
-- What counted as proven until now is what is called tried from now on.
UPDATE trims SET standing = 'tried' WHERE standing = 'proven';

-- +goose Down
UPDATE trims SET standing = 'proven' WHERE standing IN ('tried', 'held');
ALTER TABLE trims DROP COLUMN IF EXISTS proof, ADD COLUMN IF NOT EXISTS untried JSON NULL;
