-- A mark a practice holds its clients to, in the place of the usual one, with who says so.
create table pass_marks (
    practice_id  uuid not null references practices,
    protocol_id  text not null,
    quantity     text not null,
    mark         double precision not null,
    source       text not null,
    primary key (practice_id, protocol_id, quantity)
);
alter table pass_marks enable row level security;
create policy of_practice on pass_marks using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert, update, delete on pass_marks to impulso_app;
