-- Months are counted from the year 0, as year * 12 + month - 1, in UTC, and are those in which the samples were stored. What is kept
-- for good is of month 0; what earlier versions stored counts as stored now.
-- +goose Up
EXECUTE IMMEDIATE CONCAT('ALTER TABLE telemetry ADD COLUMN IF NOT EXISTS month INT NOT NULL DEFAULT ',
  12 * YEAR(UTC_DATE()) + MONTH(UTC_DATE()) - 1, ' AFTER t1');
ALTER TABLE telemetry DROP COLUMN IF EXISTS level, DROP PRIMARY KEY, ADD PRIMARY KEY (leg_id, channel_id, t0, t1, month)
  PARTITION BY RANGE (month) (PARTITION kept VALUES LESS THAN (1), PARTITION rest VALUES LESS THAN MAXVALUE);
ALTER TABLE telemetry ALTER COLUMN month DROP DEFAULT;

-- +goose Down
ALTER TABLE telemetry REMOVE PARTITIONING;
ALTER TABLE telemetry ADD COLUMN IF NOT EXISTS level BLOB NOT NULL DEFAULT '' AFTER t1, DROP PRIMARY KEY,
  ADD PRIMARY KEY (leg_id, channel_id, t0, t1), DROP COLUMN IF EXISTS month;
ALTER TABLE telemetry ALTER COLUMN level DROP DEFAULT;
