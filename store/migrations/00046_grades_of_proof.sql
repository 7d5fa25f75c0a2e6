-- +goose Up
ALTER TABLE trims ADD COLUMN proof JSON NULL, DROP COLUMN untried;
-- What counted as proven until now is what is called tried from now on.
UPDATE trims SET standing = 'tried' WHERE standing = 'proven';

-- +goose Down
UPDATE trims SET standing = 'proven' WHERE standing IN ('tried', 'held');
ALTER TABLE trims DROP COLUMN proof, ADD COLUMN untried JSON NULL;
