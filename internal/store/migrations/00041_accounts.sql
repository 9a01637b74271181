-- +goose Up
-- What becomes of the files of an account that an order removes.
alter table orders add column files text not null default '' check (files in ('', 'keep', 'move'));
create index findings_left_behind on findings (device_id) where kind = 'account_left_behind';

-- Why devices were retired, and until when their passwords are kept.
create table retirements (
    device_id       text primary key references devices (id) on delete cascade,
    because         text not null check (because in ('lost', 'sold', 'reinstalled', 'repair')),
    note            text not null default '',
    retired_by      text not null,
    at              timestamptz not null,
    passwords_until timestamptz not null
);
create index retirements_passwords_until on retirements (passwords_until);

-- Who uses a device, as it says; whether the primary user was learned from that; and the groups of that user.
alter table devices
    add column usual_user text not null default '',
    add column primary_user_learned boolean not null default false,
    add column user_groups jsonb not null default '[]';
create index devices_usual_user on devices (id) where usual_user <> '';
create index devices_learned on devices (id) where primary_user_learned;
create index directory_entries_person on directory_entries (lower(split_part(name, '@', 1))) where kind = 'user';

-- +goose Down
drop index directory_entries_person, devices_learned, devices_usual_user;
alter table devices drop column user_groups, drop column primary_user_learned, drop column usual_user;
drop table retirements;
drop index findings_left_behind;
alter table orders drop column files;
