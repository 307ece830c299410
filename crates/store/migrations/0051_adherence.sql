-- Most people of a team on shift at the same time in an interval: who is not even among those was absent for all of
-- it, and what those miss is late, early or away.
ALTER TABLE switch_staffing ADD COLUMN most_on_shift integer;
