-- +goose Up
CREATE TABLE IF NOT EXISTS batch_members (
  batch_id   BIGINT       NOT NULL,
  rig_id     BIGINT       NOT NULL,
  position   INT          NOT NULL,
  trim_id    BIGINT       NULL,
  expect_w   DOUBLE       NOT NULL,
  idle_w     DOUBLE       NOT NULL,
  state      VARCHAR(10)  NOT NULL,
  fitting_id BIGINT       NULL,
  words      VARCHAR(300) NOT NULL DEFAULT '',
  PRIMARY KEY (batch_id, rig_id),
  KEY (rig_id),
  FOREIGN KEY (batch_id) REFERENCES batches (id) ON DELETE CASCADE,
  FOREIGN KEY (rig_id) REFERENCES rigs (id) ON DELETE CASCADE
);

-- +goose Down
DROP TABLE IF EXISTS batch_members;
