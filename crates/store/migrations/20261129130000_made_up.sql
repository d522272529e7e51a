-- Made-up clients that a practice loads to look around and removes again.

alter table people add column made_up boolean not null default false;

create index people_made_up on people (practice_id) where made_up;
