-- +goose Up
-- Which start of its agent a device was heard from last, since when by the agent's claim, and which ones before: one that
-- comes back after another was heard from shows that two machines hold one key.
alter table devices add column life text not null default '';
alter table devices add column life_since timestamptz;
alter table devices add column former_lives text[] not null default '{}';
-- What keeps its agent from its work, as it said last.
alter table devices add column trouble text not null default '';
alter table retirements drop constraint retirements_because_check;
alter table retirements add constraint retirements_because_check
    check (because in ('lost', 'sold', 'reinstalled', 'repair', 'copied'));
create index devices_trouble on devices (id) where trouble <> '';
create index retirements_copied on retirements (device_id) where because = 'copied';

-- +goose Down
drop index retirements_copied;
delete from retirements where because = 'copied';
alter table retirements drop constraint retirements_because_check;
alter table retirements add constraint retirements_because_check
    check (because in ('lost', 'sold', 'reinstalled', 'repair'));
alter table devices drop column trouble;
alter table devices drop column life, drop column life_since, drop column former_lives;
