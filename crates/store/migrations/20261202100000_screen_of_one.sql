-- A screen belongs to whoever wrote with it first: who sent an event is told with it.
drop function run_take(uuid, bigint);
create function run_take(given uuid, after bigint)
returns table (closed_at timestamptz, "position" bigint, late boolean, coach_id uuid, partner bytea, body jsonb)
language plpgsql volatile security invoker set search_path = public as $$
begin
    perform from runs r where r.id = given for update;
    return query
        select r.closed_at, e."position", e.late, e.coach_id, e.partner, e.body
        from runs r left join run_events e on e.practice_id = r.practice_id and e.run_id = r.id and e."position" > after
        where r.id = given order by e."position";
end $$;
revoke execute on function run_take(uuid, bigint) from public;
grant execute on function run_take(uuid, bigint) to impulso_app;
