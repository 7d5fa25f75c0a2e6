-- For how long a trim was in daily use before faults that ended it.
-- +goose Up
ALTER TABLE trims ADD COLUMN IF NOT EXISTS faulted_s DOUBLE NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE trims DROP COLUMN IF EXISTS faulted_s;
