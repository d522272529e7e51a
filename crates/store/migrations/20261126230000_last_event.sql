-- Events of a run in one trip, as before. Whether something was added since is asked of the run's last event alone: along the
-- index in order, backwards, one row. A plan that is kept for "any after this one" may read the whole table, and is kept from
-- the time when that was small.
create or replace function run_append(
    practice uuid, given uuid, after bigint, ids uuid[], devices uuid[], seqs int[], monos float8[], walls timestamptz[], bodies jsonb[],
    coach uuid, by_partner bytea
)
returns table (id uuid, "position" bigint)
language plpgsql volatile security invoker set search_path = public as $$
#variable_conflict use_column
declare
    kept bigint;
    newest bigint;
    closed timestamptz;
begin
    perform set_config('impulso.practice_id', practice::text, true);
    -- By its key: among the open ones of a practice there may be hundreds.
    select r.closed_at into closed from runs r where r.practice_id = run_append.practice and r.id = run_append.given for update;
    if not found or closed is not null then
        return;
    end if;
    select e."position" into newest from run_events e
    where e.practice_id = run_append.practice and e.run_id = run_append.given
    order by e.run_id desc, e."position" desc limit 1;
    if newest > after then
        return;
    end if;
    return query
        insert into run_events (id, practice_id, run_id, device, seq, mono_ms, wall, body, late, coach_id, partner)
        select e.id, run_append.practice, run_append.given, e.device, e.seq, e.mono_ms, e.wall, e.body, false, coach, by_partner
        from unnest(ids, devices, seqs, monos, walls, bodies) with ordinality as e (id, device, seq, mono_ms, wall, body, nth)
        order by e.nth
        on conflict (practice_id, id) do nothing
        returning run_events.id, run_events."position";
    get diagnostics kept = row_count;
    if kept < cardinality(ids) then
        raise exception 'an event of another run has this id' using errcode = 'unique_violation';
    end if;
end $$;
