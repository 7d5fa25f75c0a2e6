-- After records were put back from a backup: which streams may go on with a gap, and which legs have to be run anew.
-- +goose Up
ALTER TABLE link_streams ADD COLUMN IF NOT EXISTS put_back BOOLEAN NOT NULL DEFAULT FALSE;
ALTER TABLE legs ADD COLUMN IF NOT EXISTS put_back BOOLEAN NOT NULL DEFAULT FALSE;

-- +goose Down
ALTER TABLE legs DROP COLUMN IF EXISTS put_back;
ALTER TABLE link_streams DROP COLUMN IF EXISTS put_back;
