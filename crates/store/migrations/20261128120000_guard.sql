-- What a second attack found, mended in the data: keys that are a practice's own in every table, texts that have an end, one place
-- for what cannot be read any more.

-- A key made by a screen is unique within its practice; a file of a practice comes into a second one on the same server.
alter table readiness_checks drop constraint readiness_checks_pkey;
alter table retest_plans drop constraint retest_plans_pkey;
alter table retests drop constraint retests_pkey;
alter table retests drop constraint retests_plan_id_due_on_key;
create unique index retests_once_a_day on retests (practice_id, plan_id, due_on);
alter table scores drop constraint scores_pkey;
alter table scores add constraint scores_pkey primary key (practice_id, result_id, quantity);

-- Every text has an end, whatever comes in by whatever door. What is there already stays as it is; it is held to this when it is
-- written again. A ride has a sample a second, so readings may be long.
do $$
declare
    c record;
    most int;
begin
    for c in
        select t.table_name, t.column_name, t.data_type
        from information_schema.columns t join information_schema.tables o using (table_schema, table_name)
        where t.table_schema = 'public' and o.table_type = 'BASE TABLE' and t.table_name not like '\_%'
          and t.data_type in ('text', 'jsonb')
    loop
        if c.data_type = 'text' then
            -- A name has 120 characters, its search key may have more; a note has 4,000.
            most := case
                when c.column_name in ('occupation', 'goal', 'medicines', 'notes', 'overrule_reason', 'skip_reason', 'words', 'source') then 4000
                when c.column_name = 'password_hash' then 500
                else 300 end;
            execute format('alter table %I add constraint %I check (char_length(%I) <= %s) not valid',
                c.table_name, c.table_name || '_' || c.column_name || '_has_an_end', c.column_name, most);
        else
            most := case c.column_name when 'inputs' then 1048576 when 'protocol' then 262144 when 'body' then 262144 else 131072 end;
            execute format('alter table %I add constraint %I check (pg_column_size(%I) <= %s) not valid',
                c.table_name, c.table_name || '_' || c.column_name || '_has_an_end', c.column_name, most);
        end if;
    end loop;
end $$;

-- A day or a moment is one that a calendar of people holds.
alter table people add constraint people_born_is_a_day check (born between '1850-01-01' and '2300-01-01') not valid;
alter table results add constraint results_on_date_is_a_day check (on_date between '1850-01-01' and '2300-01-01') not valid;
alter table results add constraint results_taken_at_is_a_moment check (taken_at between '1850-01-01' and '2300-01-01') not valid;
alter table scores add constraint scores_value_is_a_number check (value between -1e15 and 1e15) not valid;

-- What is stored and cannot be read any more is set aside: named here, and passed over everywhere else.
create table set_aside (
    practice_id  uuid not null references practices,
    kind         text not null check (char_length(kind) <= 60),
    key          text not null check (char_length(key) <= 200),
    why          text not null check (char_length(why) <= 500),
    found_at     timestamptz not null default now(),
    primary key (practice_id, kind, key)
);
alter table set_aside enable row level security;
create policy of_practice on set_aside using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert, update, delete on set_aside to impulso_app;

-- Whether the disk takes more: asked only after it took no more, and undone at once.
create table disk_probe (filler bytea not null);
grant insert on disk_probe to impulso_app;
