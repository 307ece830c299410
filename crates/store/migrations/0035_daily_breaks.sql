-- Breaks of fitted shifts lie differently from day to day: one time for the week becomes one for each day.
UPDATE shift_searches AS search
SET roster = jsonb_set(search.roster, '{shifts}', coalesce(
    (SELECT jsonb_agg(
        (shift - 'break_at') || jsonb_build_object('breaks',
            (SELECT jsonb_agg(CASE WHEN works::boolean THEN shift -> 'break_at' ELSE 'null' END
                              ORDER BY day)
             FROM jsonb_array_elements(shift -> 'works') WITH ORDINALITY AS days (works, day)))
        ORDER BY number)
     FROM jsonb_array_elements(search.roster -> 'shifts') WITH ORDINALITY AS shifts (shift, number)),
    '[]'))
WHERE search.roster IS NOT NULL;
