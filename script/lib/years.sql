-- Moves the results and sessions of every group apart, so that they lie a month from one to the next and the latest stays where it is: what
-- was stored within an hour becomes what years of sessions are.
with back as (
    select practice_id, id, (row_number() over (partition by practice_id, person_id, protocol_id order by taken_at desc, id desc) - 1) * interval '30 days' as by
    from results)
update results r set on_date = (r.on_date - back.by)::date, taken_at = r.taken_at - back.by
from back where back.practice_id = r.practice_id and back.id = r.id and back.by > interval '0';

with back as (
    select practice_id, id, (row_number() over (partition by practice_id, group_id order by created_at desc, id desc) - 1) * interval '30 days' as by
    from group_visits)
update group_visits v set on_date = (v.on_date - back.by)::date, created_at = v.created_at - back.by
from back where back.practice_id = v.practice_id and back.id = v.id and back.by > interval '0';

vacuum analyze results;
vacuum analyze scores;
