-- Reminders of holds and of single bookings, and which of them somebody has dealt with.
CREATE TABLE IF NOT EXISTS reminders (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  hold_id BIGINT NULL,
  booking_id BIGINT NULL,
  lead VARCHAR(20) NOT NULL,
  account VARCHAR(200) NOT NULL,
  created_at DATETIME(6) NOT NULL,
  KEY reminders_hold (hold_id),
  KEY reminders_booking (booking_id),
  CONSTRAINT reminders_hold FOREIGN KEY (hold_id) REFERENCES holds (id) ON DELETE CASCADE,
  CONSTRAINT reminders_booking FOREIGN KEY (booking_id) REFERENCES bookings (id) ON DELETE CASCADE
);
CREATE TABLE IF NOT EXISTS reminders_done (
  reminder_id BIGINT NOT NULL,
  booking_id BIGINT NOT NULL,
  due_at DATETIME(6) NOT NULL,
  account VARCHAR(200) NOT NULL,
  at DATETIME(6) NOT NULL,
  PRIMARY KEY (reminder_id, booking_id),
  CONSTRAINT reminders_done_reminder FOREIGN KEY (reminder_id) REFERENCES reminders (id) ON DELETE CASCADE,
  CONSTRAINT reminders_done_booking FOREIGN KEY (booking_id) REFERENCES bookings (id) ON DELETE CASCADE
);
-- How what is not firm goes out.
ALTER TABLE publications ADD COLUMN IF NOT EXISTS tentative VARCHAR(12) NOT NULL DEFAULT 'tentative';
