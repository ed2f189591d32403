-- What a feed no longer shows and stands all the same, and what readings freed within a day.
ALTER TABLE bookings
  ADD COLUMN IF NOT EXISTS held_why VARCHAR(10) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS held_since DATETIME(6) NULL,
  ADD COLUMN IF NOT EXISTS held_agreed INT NOT NULL DEFAULT 0;
ALTER TABLE bookings ADD KEY IF NOT EXISTS bookings_held (feed_id, held_why);
ALTER TABLE links ADD COLUMN IF NOT EXISTS freed TEXT NULL;
ALTER TABLE feeds
  ADD COLUMN IF NOT EXISTS guarded_since DATETIME(6) NULL,
  ADD COLUMN IF NOT EXISTS whole_at DATETIME(6) NULL;
