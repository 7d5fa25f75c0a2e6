-- +goose Up
ALTER TABLE trials ADD COLUMN IF NOT EXISTS batch_id BIGINT NULL, ADD KEY IF NOT EXISTS trials_of_batches (batch_id, rig_id);

-- +goose Down
ALTER TABLE trials DROP KEY IF EXISTS trials_of_batches, DROP COLUMN IF EXISTS batch_id;
