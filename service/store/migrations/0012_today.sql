-- Who leaves on a day is looked for by when bookings end.
ALTER TABLE bookings ADD KEY IF NOT EXISTS bookings_end (calendar_id, end_point);
