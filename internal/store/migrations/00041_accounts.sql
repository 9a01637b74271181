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

-- +goose Down
drop table retirements;
drop index findings_left_behind;
alter table orders drop column files;
