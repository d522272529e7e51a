-- Groups: a squad or a class, with its members over time.

create table groups (
    practice_id uuid not null references practices,
    id          uuid not null,
    name        text not null check (char_length(name) >= 1 and char_length(name) <= 120),
    closed_at   timestamptz,
    created_by  uuid not null,
    created_at  timestamptz not null default now(),
    primary key (practice_id, id)
);
create index groups_open on groups (practice_id, name) where closed_at is null;
alter table groups enable row level security;
create policy of_practice on groups using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert, update, delete on groups to impulso_app;

-- A member leaves with the day; who comes back has a new row, so that it stays known who was there when.
create table group_members (
    practice_id   uuid not null references practices,
    id            uuid not null,
    group_id      uuid not null,
    person_id     uuid not null,
    joined_on     date not null check (joined_on between '1850-01-01' and '2300-01-01'),
    left_on       date check (left_on between joined_on and '2300-01-01'),
    playing_group text check (char_length(playing_group) >= 1 and char_length(playing_group) <= 60),
    number        integer check (number between 0 and 999),
    created_at    timestamptz not null default now(),
    primary key (practice_id, id),
    foreign key (practice_id, group_id) references groups (practice_id, id),
    foreign key (practice_id, person_id) references people (practice_id, id) on delete cascade
);
create unique index group_members_once on group_members (practice_id, group_id, person_id) where left_on is null;
create unique index group_members_number on group_members (practice_id, group_id, number) where left_on is null;
create index group_members_of_person on group_members (practice_id, person_id);
alter table group_members enable row level security;
create policy of_practice on group_members using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert, update, delete on group_members to impulso_app;
