-- Entries that somebody is to look at before their details go out.
ALTER TABLE links ADD COLUMN IF NOT EXISTS review TINYINT(1) NOT NULL DEFAULT 0;
ALTER TABLE bookings ADD COLUMN IF NOT EXISTS review VARCHAR(10) NOT NULL DEFAULT '';
CREATE TABLE IF NOT EXISTS reviews (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  booking_id BIGINT NOT NULL,
  says VARCHAR(10) NOT NULL,
  account VARCHAR(200) NOT NULL,
  at DATETIME(6) NOT NULL,
  KEY reviews_booking (booking_id, id),
  CONSTRAINT reviews_booking FOREIGN KEY (booking_id) REFERENCES bookings (id) ON DELETE CASCADE
);
