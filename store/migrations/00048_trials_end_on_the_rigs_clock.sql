-- +goose Up
ALTER TABLE trials ADD COLUMN IF NOT EXISTS rig_ended DATETIME(6) NULL;
UPDATE trials SET rig_ended = (SELECT FROM_UNIXTIME(MAX(l.started_ms / 1000 + l.seen_s)) FROM legs l WHERE l.trial_id = trials.id)
WHERE ended_at IS NOT NULL;

-- +goose Down
ALTER TABLE trials DROP COLUMN IF EXISTS rig_ended;
