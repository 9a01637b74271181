-- +goose Up

-- What a token was given when it was created; what it may do is never more than its operator may now.
alter table api_tokens add column grants jsonb;
update api_tokens t set grants = case when t.role = '' then o.grants else jsonb_build_array(jsonb_build_object('role', t.role, 'groups', '[]'::jsonb)) end
    from operators o where o.id = t.operator_id;
alter table api_tokens alter column grants set not null;

-- Addresses from which an operator signed in before: wrong passwords of strangers do not keep them out.
create table operator_addresses (
    operator_id text        not null references operators,
    address     text        not null,
    last_at     timestamptz not null,
    primary key (operator_id, address)
);

-- Refused attempts of people who are not signed in, summed up by the minute until they enter the trail.
create table stranger_attempts (
    minute  timestamptz not null,
    action  text        not null,
    address text        not null,
    name    text        not null,
    count   integer     not null,
    primary key (minute, action, address, name)
);

-- The number under which a lock is held, see store.Exclusively.
create table fences (
    lock   bigint primary key,
    number bigint not null
);

-- Up to when old reports were thinned out, so that those that stay are not looked at again.
create table retention (
    what    text primary key,
    done_to timestamptz not null
);

-- A request that fails is tried again later, and holds up no other.
alter table settle_requests
    add column attempts integer     not null default 0,
    add column error    text        not null default '',
    add column next_at  timestamptz not null default 'epoch';

-- The keys of this database: another key file is refused.
alter table service_state add column root_fingerprint text not null default '';

-- The device holds a desired state that the service never gave it.
alter table devices add column mismatched boolean not null default false;
-- Accounts that are locked, as the device reported last.
alter table devices add column locked jsonb not null default '[]';
-- The group that lists the name of a device which waits for an owner, where it claims to be no other.
alter table devices add column listed_in text not null default '';

-- Scopes and settings are dropped by a job that looks at all of them at once. A foreign key would look
-- through the devices for each.
alter table devices drop constraint devices_scope_fkey;
alter table desired_states drop constraint desired_states_settings_fkey;
alter table scopes add column created_at timestamptz not null default now();
alter table settings add column created_at timestamptz not null default now();

-- A person or group that vanished from the directory keeps its identifier for a while.
alter table directory_entries add column gone_at timestamptz;
alter table directory_sync add column losing integer not null default 0;

-- Open findings of a device are found by an index that no other query of open findings can use, so that
-- no estimate ever leads to one that reads all of them.
drop index findings_open;
drop index findings_state;
drop index findings_unit;
drop index findings_closed;
create unique index findings_open on findings (device_id, key) where closed_at is null;
create index findings_open_id on findings (id) where state = 'open';
create index findings_open_unit on findings (unit, kind, id) where state = 'open';
create index findings_closed_id on findings (state, id) where state <> 'open';
create index findings_closed_unit on findings (state, unit, kind, id) where state <> 'open';
create index findings_closed on findings (closed_at) where closed_at is not null;
create index findings_first on findings (first_seen);
create index findings_latest on findings ((coalesce(closed_at, first_seen)));

-- Whose rule a device event follows, with its revision; empty for none.
alter table device_events add column policy text not null default '';

-- For lists since a time, and for what is deleted after a time.
create index device_events_received on device_events (received_at);
create index orders_created on orders (created_at);
create index reveals_at on reveals (at);
create index reports_received on reports (received_at);
create index desired_states_created on desired_states (created_at);
create index sign_in_failures_last on sign_in_failures (last_at);
create index agreements_device on agreements (device_id);
create index deposits_unrecovered on deposits (device_id, target) where state = 'current' and recovery_number is null;
create index sessions_operator on sessions (operator_id);
create index api_tokens_operator on api_tokens (operator_id, id);
create index devices_claiming on devices (name_key, id) where state <> 'live';
create index audit_recent on audit_entries (seq) where outcome = 'done';

-- +goose Down
drop index audit_recent, deposits_unrecovered, devices_claiming, api_tokens_operator, sessions_operator, agreements_device, sign_in_failures_last, desired_states_created, reports_received,
    reveals_at, orders_created, device_events_received, findings_latest, findings_first, findings_closed, findings_closed_unit, findings_closed_id, findings_open_unit, findings_open_id, findings_open;
create unique index findings_open on findings (device_id, key) where state = 'open';
create index findings_state on findings (state, id);
create index findings_unit on findings (state, unit, kind, id);
create index findings_closed on findings (closed_at);
alter table device_events drop column policy;
alter table directory_sync drop column losing;
delete from directory_entries where gone_at is not null;
alter table directory_entries drop column gone_at;
alter table settings drop column created_at;
alter table scopes drop column created_at;
alter table desired_states add constraint desired_states_settings_fkey foreign key (settings) references settings;
alter table devices add constraint devices_scope_fkey foreign key (scope) references scopes, drop column locked, drop column listed_in, drop column mismatched;
alter table service_state drop column root_fingerprint;
alter table settle_requests drop column attempts, drop column error, drop column next_at;
drop table retention, fences, stranger_attempts, operator_addresses;
alter table api_tokens drop column grants;
