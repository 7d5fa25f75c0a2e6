-- Secrets are stored sealed, which makes them longer.
-- +goose Up
ALTER TABLE rigs MODIFY firmware_password VARCHAR(2000) NOT NULL;
ALTER TABLE watches MODIFY send VARCHAR(2000) NOT NULL;
ALTER TABLE notices MODIFY send VARCHAR(2000) NOT NULL;

-- +goose Down
ALTER TABLE notices MODIFY send VARCHAR(300) NOT NULL;
ALTER TABLE watches MODIFY send VARCHAR(300) NOT NULL;
ALTER TABLE rigs MODIFY firmware_password VARCHAR(200) NOT NULL;
