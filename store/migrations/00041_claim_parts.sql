-- +goose Up
ALTER TABLE parts ADD claims BIGINT NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE parts DROP claims;
