-- The UID that the recipient of an item sees, where that is its source's, and by what its points go, where that is not as those of
-- the publication's calendar do.
ALTER TABLE carried
  ADD COLUMN IF NOT EXISTS sent VARCHAR(255) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS grain VARCHAR(5) NOT NULL DEFAULT '';
