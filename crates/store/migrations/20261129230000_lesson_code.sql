-- By this partners without an account reach each run of a group visit as it begins, and nothing else, until the visit ends.
alter table group_visits add column join_code text unique check (char_length(join_code) between 4 and 20);

-- A code is looked up before the practice is known. Of a group visit: the run that was begun last and is open, where there is one.
drop function join_lookup(text);
create function join_lookup(given text) returns table (practice_id uuid, run_id uuid, group_visit_id uuid)
language sql stable security definer set search_path = public as $$
    select r.practice_id, r.id, null::uuid from runs r where r.join_code = upper(given) and r.closed_at is null
    union all
    select v.practice_id,
           (select r.id from runs r
            where r.practice_id = v.practice_id and r.group_visit_id = v.id and r.closed_at is null
            order by r.created_at desc limit 1),
           v.id
    from group_visits v where v.join_code = upper(given) and v.closed_at is null
$$;
revoke execute on function join_lookup(text) from public;
grant execute on function join_lookup(text) to impulso_app;
