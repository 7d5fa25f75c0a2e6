-- Names of channels are told apart byte for byte: under the former rule two sensors whose names differ in case were one.
-- +goose Up
ALTER TABLE channels MODIFY name VARCHAR(100) CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin NOT NULL;

-- +goose Down
ALTER TABLE channels MODIFY name VARCHAR(100) NOT NULL;
