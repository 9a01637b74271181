-- +goose Up
-- Sealed sheets: passwords of devices that will not reach the service for a while, given away sealed. What is sealed is
-- not kept.
create table sheets (
    id          text primary key,
    state       text not null check (state in ('waiting', 'approved', 'declined', 'made')),
    recipient   text not null default '', -- whose key it is sealed to; empty for a passphrase
    reason      text not null,
    needs       jsonb not null default '[]',
    asked_by    text not null,
    asked_by_id text not null,
    asked_at    timestamptz not null,
    decided_by  text not null default '',
    decided_at  timestamptz,
    made_at     timestamptz,
    ends_at     timestamptz not null, -- its passwords are changed by then
    check (state <> 'made' or made_at is not null)
);
create index sheets_ends_at on sheets (ends_at);

create table sheet_devices (
    sheet_id   text not null references sheets (id) on delete cascade,
    device_id  text not null references devices (id) on delete cascade,
    ordered_at timestamptz, -- when the device was given the order to change the passwords
    primary key (sheet_id, device_id)
);
create index sheet_devices_device on sheet_devices (device_id);
create index sheet_devices_open on sheet_devices (device_id) where ordered_at is null;

create table sheet_passwords (
    sheet_id  text not null references sheets (id) on delete cascade,
    device_id text not null references devices (id) on delete cascade,
    epoch     bigint not null,
    number    bigint not null,
    target    text not null,
    primary key (sheet_id, device_id, epoch, number)
);
create index sheet_passwords_device on sheet_passwords (device_id);

-- Drills of recovery keys: that one opens what is sealed to it was tried.
create table key_drills (
    id         text primary key,
    key_number bigint not null references escrow_keys,
    deposits   integer not null, -- that were to be opened
    answer     text not null,    -- digest of what proves that they were
    made_by    text not null,
    made_at    timestamptz not null,
    passed_by  text not null default '',
    passed_at  timestamptz
);
create index key_drills_key on key_drills (key_number, made_at);
alter table escrow_keys add column drilled_at timestamptz; -- when a copy of it last opened what is sealed to it

-- +goose Down
alter table escrow_keys drop column drilled_at;
drop table key_drills, sheet_passwords, sheet_devices, sheets;
