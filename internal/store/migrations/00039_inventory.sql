-- +goose Up
-- What local accounts a device has and who is in its local groups, as it said last; one row each, so that one can ask of
-- all devices at once. The devices keep the digest of theirs: nothing is written while nothing changed.
alter table devices add column inventory text not null default '';

create table inventory_accounts (
    device_id       text not null,
    sid             text not null,
    name            text not null,
    name_key        text not null,
    full_name       text not null,
    enabled         boolean not null,
    builtin         text not null,
    key             text not null,
    privileged      boolean not null,
    password_set_at timestamptz,
    since           timestamptz not null,
    primary key (device_id, sid)
);
create index inventory_accounts_name on inventory_accounts (name_key, device_id);

create table inventory_members (
    device_id  text not null,
    group_sid  text not null,
    group_name text not null,
    sid        text not null,
    name       text not null,
    privileged boolean not null,
    since      timestamptz not null,
    primary key (device_id, group_sid, sid)
);
create index inventory_members_sid on inventory_members (sid, device_id);

create table inventory_changes (
    id         bigint generated always as identity primary key,
    device_id  text not null,
    at         timestamptz not null,
    kind       text not null,
    sid        text not null,
    name       text not null,
    group_name text not null,
    former     text not null,
    privileged boolean not null
);
create index inventory_changes_device on inventory_changes (device_id, id);
create index inventory_changes_at on inventory_changes (at);

-- +goose Down
drop table inventory_changes;
drop table inventory_members;
drop table inventory_accounts;
alter table devices drop column inventory;
