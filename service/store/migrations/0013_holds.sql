-- What people enter by hand, with all that it ever was.
CREATE TABLE IF NOT EXISTS holds (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  calendar_id BIGINT NOT NULL,
  revision BIGINT NOT NULL DEFAULT 1,
  state MEDIUMTEXT NOT NULL,
  created_at DATETIME(6) NOT NULL,
  cancelled_at DATETIME(6) NULL,
  adopted BIGINT NOT NULL DEFAULT 0,
  uid VARCHAR(700) NOT NULL DEFAULT '',
  KEY holds_adopted (adopted),
  KEY holds_calendar (calendar_id, cancelled_at),
  CONSTRAINT holds_calendar FOREIGN KEY (calendar_id) REFERENCES calendars (id) ON DELETE CASCADE
);
CREATE TABLE IF NOT EXISTS hold_steps (
  hold_id BIGINT NOT NULL,
  revision BIGINT NOT NULL,
  did VARCHAR(16) NOT NULL,
  account VARCHAR(200) NOT NULL,
  at DATETIME(6) NOT NULL,
  calendar_id BIGINT NOT NULL,
  state MEDIUMTEXT NOT NULL,
  cancelled TINYINT(1) NOT NULL DEFAULT 0,
  undo_to BIGINT NOT NULL DEFAULT 0,
  with_id BIGINT NOT NULL DEFAULT 0,
  PRIMARY KEY (hold_id, revision),
  CONSTRAINT hold_steps_hold FOREIGN KEY (hold_id) REFERENCES holds (id) ON DELETE CASCADE
);
ALTER TABLE bookings
  ADD COLUMN IF NOT EXISTS hold_id BIGINT NULL,
  ADD COLUMN IF NOT EXISTS closure TINYINT(1) NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS expires_at DATETIME(6) NULL,
  ADD UNIQUE KEY IF NOT EXISTS bookings_hold (calendar_id, hold_id, occurrence);
