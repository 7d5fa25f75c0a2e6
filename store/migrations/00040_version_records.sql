-- +goose Up
ALTER TABLE rigs ADD records_version BIGINT NOT NULL DEFAULT 1, ADD claims BIGINT NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE rigs DROP records_version, DROP claims;
