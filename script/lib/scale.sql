-- Forty results for each of `people` more in the demo's practice and of 1,250 in each of `others` practices: with 50,000 and 60 that is two
-- million and three. Run as the administrator on a database with the demo in it; everybody is made up.
set session_replication_role = replica;
create temp table sizes as
    select p.id as practice, (:people)::int as people, 40 as tests, (select id from coaches c where c.practice_id = p.id limit 1) as coach from practices p where is_demo;
insert into practices (id, name, time_zone) select gen_random_uuid(), 'Practice ' || k, 'UTC' from generate_series(1, :others) k;
insert into coaches (id, practice_id, name, email, password_hash, is_founder)
    select gen_random_uuid(), id, 'Coach of ' || name, replace(lower(name), ' ', '') || '@scale.example', 'none', true from practices where not is_demo;
insert into sizes select p.id, 1250, 40, c.id from practices p join coaches c on c.practice_id = p.id where not p.is_demo;
insert into people (id, practice_id, name, name_key, born, sex, units, height_cm, height_typed, mass_kg, mass_typed)
    select gen_random_uuid(), s.practice, n.name, lower(n.name), date '1950-01-01' + (k * 37 % 18000), case when k % 2 = 0 then 'male' else 'female' end, 'metric', 175, '175', 75, '75 kg'
    from sizes s, generate_series(1, s.people) k,
         lateral (select initcap(substr(md5(k::text || s.practice::text), 1, 6)) || ' ' || initcap(substr(md5(s.practice::text || k::text), 1, 8)) as name) n;
-- Each of them as the demo's own tests are, every three weeks and now and then again within days.
create temp table pattern as
    select r.protocol_id, r.method, r.inputs, r.conditions, r.facts, (select jsonb_object_agg(quantity, value) from scores where result_id = r.id) as scored
    from results r where r.protocol_id = 'bench-step-3min' and r.stopped is null and exists (select from scores s where s.result_id = r.id and s.quantity = 'vo2max') limit 1;
insert into results (id, practice_id, person_id, protocol_id, method, on_date, taken_at, inputs, conditions, facts, stopped, created_by)
    select gen_random_uuid(), p.practice_id, p.id, t.protocol_id, t.method, d.on_date, d.on_date + interval '10 hours', t.inputs, t.conditions, t.facts,
           case when k = 40 and random() < 0.02 then '{"at_s": 60, "reason": "fatigue", "note": null}'::jsonb end, s.coach
    from people p join sizes s on s.practice = p.practice_id, generate_series(1, 40) k, pattern t,
         lateral (select current_date - (k * 18 + (k % 4) * 3) as on_date) d
    where not exists (select from results r where r.practice_id = p.practice_id and r.person_id = p.id);
-- Those that are there already, aside: a table that is looked through while it grows takes the square of its length.
create temp table scored as select distinct result_id from scores;
analyze scored;
insert into scores (practice_id, result_id, person_id, protocol_id, quantity, on_date, value)
    select r.practice_id, r.id, r.person_id, r.protocol_id, m.key, r.on_date, m.value::float8 + (hashtext(r.id::text) % 100) / 20.0
    from results r, pattern t, lateral jsonb_each_text(t.scored) m where r.id not in (select result_id from scored);
insert into retest_plans (id, practice_id, person_id, protocol_id, rule, from_on, created_by)
    select gen_random_uuid(), p.practice_id, p.id, 'bench-step-3min', '{"rule": "every_weeks", "weeks": 3}', current_date - 60, s.coach
    from people p join sizes s on s.practice = p.practice_id
    where not exists (select from retest_plans n where n.practice_id = p.practice_id and n.person_id = p.id);
insert into retests (id, practice_id, plan_id, person_id, protocol_id, due_on)
    select gen_random_uuid(), n.practice_id, n.id, n.person_id, n.protocol_id, current_date - 30 + (row_number() over () % 120)::int + 21 * k
    from retest_plans n, generate_series(0, 1) k where not exists (select from retests t where t.practice_id = n.practice_id and t.plan_id = n.id);
insert into audit (id, practice_id, coach_id, at, action, subject_kind, subject_id, person_id, detail)
    select gen_random_uuid(), r.practice_id, r.created_by, r.taken_at, 'result.kept', 'result', r.id, r.person_id, '{"protocol": "bench-step-3min"}' from results r where r.practice_id in (select id from practices where is_demo);
update practices p set people = (select count(*) from people x where x.practice_id = p.id), repeats_counted_at = now();
insert into repeats values ((select id from practices where is_demo), 'bench-step-3min', 'vo2max', 500000, 0, 4500000), ((select id from practices where is_demo), 'bench-step-3min', 'recovery_hr', 500000, 0, 25000000)
    on conflict (practice_id, protocol_id, quantity) do update set pairs = excluded.pairs, sum_of_squares = excluded.sum_of_squares;
set session_replication_role = default;
vacuum analyze;
