-- What each result scored, one row a measure: written with the result, rebuilt from its readings by `impulso recompute`. Whose,
-- which test and which day stand here too, so that one measure over time is one look along one index.
create table scores (
    practice_id  uuid not null,
    result_id    uuid not null,
    person_id    uuid not null,
    protocol_id  text not null,
    quantity     text not null,
    on_date      date not null,
    value        double precision not null,
    primary key (result_id, quantity),
    foreign key (practice_id, result_id) references results (practice_id, id) on delete cascade
);
insert into scores (practice_id, result_id, person_id, protocol_id, quantity, on_date, value)
    select r.practice_id, r.id, r.person_id, r.protocol_id, m.key, r.on_date, m.value::double precision
    from results r, lateral jsonb_each_text(r.computed) m;
create index scores_of_series on scores (practice_id, person_id, protocol_id, quantity, on_date);
alter table results drop column computed;
alter table scores enable row level security;
create policy of_practice on scores using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert on scores to impulso_app;
