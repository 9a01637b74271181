-- +goose Up

-- Public halves only: the private ones are in a file or a key device, never here.
create table escrow_keys (
    number     bigint primary key,
    use        text        not null check (use in ('escrow', 'recovery')),
    public     bytea       not null,
    state      text        not null check (state in ('new', 'live', 'retired')),
    challenge  text        not null default '', -- digest of the answer that proves a copy of the private half
    made_at    timestamptz not null,
    proved_at  timestamptz,
    retired_at timestamptz
);

-- Sealed passwords. A number is used once in an epoch of a device.
create table deposits (
    device_id       text        not null references devices,
    epoch           bigint      not null,
    number          bigint      not null,
    target          text        not null,
    account         text        not null,
    name_before     text        not null,
    name_after      text        not null,
    reason          text        not null,
    organisation    text        not null,
    key_number      bigint      not null references escrow_keys,
    sealed          bytea       not null,
    recovery_number bigint references escrow_keys,
    recovery_sealed bytea,
    digest          text        not null,
    policy          text        not null,
    state           text        not null check (state in ('pending', 'current', 'former')),
    deposited_at    timestamptz not null,
    confirmed_at    timestamptz,
    former_at       timestamptz,
    primary key (device_id, epoch, number)
);
create index deposits_key on deposits (key_number);
-- Ciphertext does not shrink.
alter table deposits alter column sealed set storage external, alter column recovery_sealed set storage external;

-- One row for each password that is or was changed on a device.
create table rotations (
    device_id     text        not null references devices,
    target        text        not null,
    account       text        not null,
    name          text        not null,
    changed_at    timestamptz, -- deposit of the current password; null before the first
    next_at       timestamptz, -- as the device says
    every_minutes integer,     -- null when no rule asks for it any more
    pending       integer     not null default 0, -- deposits that may be the password too
    shown_at      timestamptz,
    shown_by      text        not null default '',
    primary key (device_id, target)
);
create index rotations_due on rotations (changed_at);

create table reveals (
    id        bigint generated always as identity primary key,
    device_id text        not null references devices,
    target    text        not null,
    operator  text        not null,
    reason    text        not null,
    copied    boolean     not null,
    deposits  jsonb       not null,
    at        timestamptz not null
);
create index reveals_device on reveals (device_id, target, id);
create index reveals_operator on reveals (operator, at);

-- What waits for a second person, or was agreed to.
create table agreements (
    id         text primary key,
    device_id  text        not null references devices,
    target     text        not null,
    asked_by   text        not null,
    reason     text        not null,
    asked_at   timestamptz not null,
    ends_at    timestamptz not null,
    decided_by text        not null default '',
    decided_at timestamptz,
    agreed     boolean     not null default false,
    used_at    timestamptz
);
create index agreements_open on agreements (ends_at);

alter table devices
    add column deposit_number   bigint not null default 0,
    add column confirmed_number bigint not null default 0,
    add column epoch_nonce      text   not null default '';

alter table orders
    alter column ends_at drop not null,
    add column not_before timestamptz,
    add column revealed   boolean not null default false,
    add column batch      text    not null default '';
create index orders_batch on orders (batch) where batch <> '';
create index orders_waiting on orders (device_id) where state in ('queued', 'delivered');

-- Roles with reach, instead of one role everywhere.
alter table operators add column grants jsonb;
update operators set grants = jsonb_build_array(jsonb_build_object('role', role, 'groups', '[]'::jsonb));
alter table operators alter column grants set not null, drop column role;
alter table api_tokens drop constraint api_tokens_role_check, add column fresh_at timestamptz;
alter table sessions add column fresh_at timestamptz;
update sessions set fresh_at = created_at;

-- +goose Down
alter table sessions drop column fresh_at;
alter table api_tokens drop column fresh_at;
delete from api_tokens where role not in ('owner', 'viewer');
alter table api_tokens add constraint api_tokens_role_check check (role in ('owner', 'viewer'));
alter table operators add column role text;
update operators set role = case when grants @> '[{"role": "owner"}]' then 'owner' else 'viewer' end;
alter table operators alter column role set not null, add constraint operators_role_check check (role in ('owner', 'viewer')), drop column grants;
drop index orders_waiting;
delete from orders where ends_at is null;
drop index orders_batch;
alter table orders drop column not_before, drop column revealed, drop column batch, alter column ends_at set not null;
alter table devices drop column deposit_number, drop column confirmed_number, drop column epoch_nonce;
drop table agreements, reveals, rotations, deposits, escrow_keys;
