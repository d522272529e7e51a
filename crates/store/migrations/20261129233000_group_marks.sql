-- What a group is held to in one measure: the coach's own, with one bound or two.
create table group_marks (
    practice_id uuid not null references practices,
    id          uuid not null,
    group_id    uuid not null,
    body        jsonb not null check (pg_column_size(body) <= 4096),
    primary key (practice_id, id),
    foreign key (practice_id, group_id) references groups (practice_id, id) on delete cascade
);
create index group_marks_of_group on group_marks (practice_id, group_id);
alter table group_marks enable row level security;
create policy of_practice on group_marks using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert, update, delete on group_marks to impulso_app;
