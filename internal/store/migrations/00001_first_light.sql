-- +goose Up

-- One row: who the service is. The epoch grows when the service comes back from a backup.
create table service_state (
    id              boolean primary key default true check (id),
    organisation    text        not null,
    epoch           bigint      not null default 1,
    key_list_number bigint      not null default 0,
    key_list        text        not null default '',
    key_list_keys   text        not null default ''
);

create table operators (
    id            text primary key,
    name          text        not null unique,
    role          text        not null check (role in ('owner', 'viewer')),
    password_hash text        not null,
    created_at    timestamptz not null,
    disabled_at   timestamptz
);

-- The secret of a session or token is never stored, only its SHA-256.
create table sessions (
    hash        bytea primary key,
    operator_id text        not null references operators,
    address     text        not null,
    created_at  timestamptz not null,
    expires_at  timestamptz not null
);
create index sessions_expiry on sessions (expires_at);

create table api_tokens (
    id          text primary key,
    operator_id text        not null references operators,
    name        text        not null,
    role        text        not null check (role in ('owner', 'viewer')),
    hash        bytea       not null unique,
    created_at  timestamptz not null,
    expires_at  timestamptz not null,
    revoked_at  timestamptz
);

create table sign_in_failures (
    subject    text primary key,
    failures   integer     not null,
    blocked_to timestamptz not null,
    last_at    timestamptz not null
);

create table policies (
    id         text primary key,
    name       text        not null unique,
    title      text        not null,
    source     text        not null,
    version    bigint      not null,
    revision   integer     not null default 0,
    created_at timestamptz not null,
    updated_at timestamptz not null,
    updated_by text        not null
);

create table policy_revisions (
    policy_id    text        not null references policies,
    number       integer     not null,
    source       text        not null,
    published_at timestamptz not null,
    published_by text        not null,
    primary key (policy_id, number)
);

create table groups (
    id          text primary key,
    name        text        not null unique check (name <> 'everything'),
    description text        not null,
    version     bigint      not null,
    created_at  timestamptz not null,
    updated_at  timestamptz not null
);

-- Members are named, so that a group can be filled before its devices enrol. Names are folded.
create table group_members (
    group_id text not null references groups on delete cascade,
    device   text not null,
    primary key (group_id, device)
);
create index group_members_device on group_members (device);

create table assignments (
    id         text primary key,
    name       text        not null unique,
    policy_id  text        not null references policies,
    revision   integer     not null,
    include    jsonb       not null,
    exclude    jsonb       not null,
    rank       integer     not null check (rank between 1 and 9999),
    version    bigint      not null,
    created_at timestamptz not null,
    updated_at timestamptz not null,
    foreign key (policy_id, revision) references policy_revisions (policy_id, number)
);

create table enrolment_tokens (
    id          text primary key,
    note        text        not null,
    secret_hash bytea       not null,
    uses_left   integer     not null,
    groups      jsonb       not null,
    created_by  text        not null,
    created_at  timestamptz not null,
    expires_at  timestamptz not null,
    revoked_at  timestamptz
);

-- What is settled for all devices that meet the same assignments at the same revisions and ranks.
create table scopes (
    digest      text primary key,
    assignments jsonb not null,
    lane        jsonb not null
);

-- The settings of desired states, shared by all that have the same. Text, so that bytes stay.
create table settings (
    digest text primary key,
    body   text not null
);

create table devices (
    id              text primary key,
    name            text        not null,
    name_key        text        not null,
    serial          text        not null,
    model           text        not null,
    platform        text        not null,
    os_version      text        not null,
    os_build        integer     not null,
    state           text        not null check (state in ('live', 'claiming', 'refused', 'retired')),
    claims          text references devices,
    public_key      bytea       not null,
    key_id          text        not null unique,
    token_id        text        not null references enrolment_tokens,
    enrolled_at     timestamptz not null,
    epoch           bigint      not null default 1,
    seq             bigint      not null default 0,
    last_contact    timestamptz,
    scope           text references scopes,
    held            jsonb       not null default '[]',
    held_units      integer     not null default 0,
    desired_epoch   bigint      not null default 1,
    desired_number  bigint      not null default 0,
    desired_digest  text        not null default '',
    settings_digest text        not null default '',
    desired_at      timestamptz,
    reported_epoch  bigint      not null default 0,
    reported_number bigint      not null default 0,
    reported_at     timestamptz,
    report_id       bigint,
    open_findings   integer     not null default 0,
    verified_at     timestamptz,
    changed_at      timestamptz not null default now()
);
create unique index devices_live_name on devices (name_key) where state = 'live';
create index devices_name on devices (name_key, id);
-- What changes with every desired state and report is not indexed, so that rows are updated in place.
alter table devices set (fillfactor = 70);

create table desired_states (
    device_id  text        not null references devices,
    epoch      bigint      not null,
    number     bigint      not null,
    name       text        not null,
    settings   text        not null references settings,
    digest     text        not null,
    created_at timestamptz not null,
    primary key (device_id, epoch, number)
);

create table reports (
    id             bigint generated always as identity primary key,
    device_id      text        not null references devices,
    epoch          bigint      not null,
    seq            bigint      not null,
    desired_epoch  bigint      not null,
    desired_number bigint      not null,
    at             timestamptz not null,
    received_at    timestamptz not null,
    digest         text        not null,
    body           jsonb       not null,
    unique (device_id, epoch, seq)
);

create table findings (
    id          bigint generated always as identity primary key,
    device_id   text        not null references devices,
    key         text        not null,
    unit        text        not null,
    kind        text        not null,
    subject     text        not null,
    expected    jsonb,
    actual      jsonb,
    assignments jsonb       not null,
    state       text        not null check (state in ('open', 'settled', 'put_right')),
    first_seen  timestamptz not null,
    last_seen   timestamptz not null,
    closed_at   timestamptz
);
create unique index findings_open on findings (device_id, key) where state = 'open';
create index findings_device on findings (device_id, id);
create index findings_state on findings (state, id);
create index findings_unit on findings (state, unit, kind, id);
create index findings_closed on findings (closed_at);

-- What must be settled again; written in the transaction of the change that made it necessary.
create table settle_requests (
    id         bigint generated always as identity primary key,
    cause      text        not null,
    groups     jsonb       not null,
    devices    jsonb       not null,
    created_at timestamptz not null
);

-- The audit trail: every entry holds the hash of the one before.
create table audit_entries (
    seq     bigint primary key,
    at      timestamptz not null,
    actor   text        not null,
    address text        not null,
    action  text        not null,
    object  text        not null,
    before  jsonb,
    after   jsonb,
    reason  text        not null,
    outcome text        not null check (outcome in ('done', 'refused')),
    prev    bytea       not null,
    hash    bytea       not null
);
create index audit_at on audit_entries (at);

-- +goose StatementBegin
create function refuse_change() returns trigger language plpgsql as $$
begin
    raise exception 'the audit trail is append-only';
end $$;
-- +goose StatementEnd
create trigger audit_append_only before update or delete or truncate on audit_entries
    for each statement execute function refuse_change();

-- +goose Down
drop table audit_entries, settle_requests, findings, reports, desired_states, devices, settings, scopes,
    enrolment_tokens, assignments, group_members, groups, policy_revisions, policies, sign_in_failures,
    api_tokens, sessions, operators, service_state;
drop function refuse_change;
