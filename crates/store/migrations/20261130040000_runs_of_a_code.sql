-- By the code of a group visit partners reach every run of it that is open, so that two tests beside each other keep apart.
create or replace function join_lookup(given text) returns table (practice_id uuid, run_id uuid, group_visit_id uuid)
language sql stable security definer set search_path = public as $$
    select r.practice_id, r.id, null::uuid from runs r where r.join_code = upper(given) and r.closed_at is null
    union all
    (select v.practice_id, r.id, v.id
     from group_visits v
     left join runs r on r.practice_id = v.practice_id and r.group_visit_id = v.id and r.closed_at is null
     where v.join_code = upper(given) and v.closed_at is null
     order by r.created_at desc)
$$;
