-- +goose Up
-- The schema of version 0.14. A database of an earlier version is brought here by that version.
--
-- What devices tell, and what they are told, is kept in tables of months (UTC), so that a month goes at once when it is no longer
-- kept. Each such table consists of what was before the first month, the months, and what is later than the last one.
--   device_reports    every report, for some weeks; what it says is in report_bodies, once for each device, month and content
--   daily_reports     the last report of each day of each device, for a year; what they say is in daily_bodies
--   device_events     what happened on devices
--   desired_states    what devices were to have
--   findings          open ones, which have no month (findings_open), and closed ones by the month in which they were closed

create extension if not exists pg_trgm;

create sequence device_reports_ids;
create sequence device_events_ids;
create sequence findings_ids;

-- One row: who the service is. The epoch grows when the service comes back from a backup.
create table service_state (
    id                boolean default true primary key,
    organisation      text not null,
    epoch             bigint not null default 1,
    key_list_number   bigint not null default 0,
    key_list          text not null default '',
    key_list_keys     text not null default '',
    root_fingerprint  text not null default '',
    system_identifier text not null default '',
    timeline          bigint not null default 0,
    check (id)
);

create table operators (
    id            text primary key,
    name          text not null unique,
    password_hash text not null,
    created_at    timestamptz not null,
    disabled_at   timestamptz,
    grants        jsonb not null,
    sealed_at     timestamptz,
    opened_at     timestamptz,
    issuer        text not null default '',
    subject       text not null default ''
);
create unique index operators_identity on operators (issuer, subject) where issuer <> '';

-- The secret of a session or token is never stored, only its SHA-256.
create table sessions (
    hash        bytea primary key,
    operator_id text not null references operators,
    address     text not null,
    created_at  timestamptz not null,
    expires_at  timestamptz not null,
    fresh_at    timestamptz,
    factor      boolean not null default false
);
create index sessions_expiry on sessions (expires_at);
create index sessions_operator on sessions (operator_id);

create table api_tokens (
    id          text primary key,
    operator_id text not null references operators,
    name        text not null,
    role        text not null,
    hash        bytea not null unique,
    created_at  timestamptz not null,
    expires_at  timestamptz not null,
    revoked_at  timestamptz,
    fresh_at    timestamptz,
    grants      jsonb not null
);
create index api_tokens_operator on api_tokens (operator_id, id);

create table sign_in_failures (
    subject    text primary key,
    failures   integer not null,
    blocked_to timestamptz not null,
    last_at    timestamptz not null
);
create index sign_in_failures_last on sign_in_failures (last_at);

create table policies (
    id         text primary key,
    name       text not null unique,
    title      text not null,
    source     text not null,
    version    bigint not null,
    revision   integer not null default 0,
    created_at timestamptz not null,
    updated_at timestamptz not null,
    updated_by text not null
);

create table policy_revisions (
    policy_id    text not null references policies,
    number       integer not null,
    source       text not null,
    published_at timestamptz not null,
    published_by text not null,
    primary key (policy_id, number)
);

create table groups (
    id          text primary key,
    name        text not null unique,
    description text not null,
    version     bigint not null,
    created_at  timestamptz not null,
    updated_at  timestamptz not null,
    rule        text not null default '',
    check (name <> 'everything')
);

-- Members are named, so that a group can be filled before its devices enrol. Names are folded.
create table group_members (
    group_id text not null references groups on delete cascade,
    device   text not null,
    certain  boolean not null default true,
    primary key (group_id, device)
);
create index group_members_device on group_members (device);

create table assignments (
    id         text primary key,
    name       text not null unique,
    policy_id  text not null references policies,
    revision   integer not null,
    include    jsonb not null,
    exclude    jsonb not null,
    rank       integer not null,
    version    bigint not null,
    created_at timestamptz not null,
    updated_at timestamptz not null,
    within     jsonb not null default '[]',
    stance     text not null default 'enforce',
    check (rank between 1 and 9999),
    foreign key (policy_id, revision) references policy_revisions(policy_id, number),
    check (stance in ('enforce', 'trial'))
);

create table enrolment_tokens (
    id          text primary key,
    note        text not null,
    secret_hash bytea not null,
    uses_left   integer not null,
    groups      jsonb not null,
    created_by  text not null,
    created_at  timestamptz not null,
    expires_at  timestamptz not null,
    revoked_at  timestamptz,
    path        text not null default '',
    tags        jsonb not null default '[]'
);

-- What is settled for all devices that meet the same assignments at the same revisions and ranks.
create table scopes (
    digest      text primary key,
    assignments jsonb not null,
    lane        jsonb not null,
    projected   jsonb,
    created_at  timestamptz not null default now()
);

-- The settings of desired states, shared by all that have the same. Text, so that bytes stay.
create table settings (
    digest     text primary key,
    body       text not null,
    created_at timestamptz not null default now()
);

create table devices (
    id                  text primary key,
    name                text not null,
    name_key            text not null,
    serial              text not null,
    model               text not null,
    platform            text not null,
    os_version          text not null,
    os_build            integer not null,
    state               text not null,
    claims              text references devices,
    public_key          bytea not null,
    key_id              text not null unique,
    token_id            text not null references enrolment_tokens,
    enrolled_at         timestamptz not null,
    epoch               bigint not null default 1,
    seq                 bigint not null default 0,
    last_contact        timestamptz,
    scope               text,
    held                jsonb not null default '[]',
    held_units          integer not null default 0,
    desired_epoch       bigint not null default 1,
    desired_number      bigint not null default 0,
    desired_digest      text not null default '',
    settings_digest     text not null default '',
    desired_at          timestamptz,
    reported_epoch      bigint not null default 0,
    reported_number     bigint not null default 0,
    reported_at         timestamptz,
    report_id           bigint,
    open_findings       integer not null default 0,
    verified_at         timestamptz,
    changed_at          timestamptz not null default now(),
    path                text not null default '',
    tags                jsonb not null default '[]',
    primary_user        text not null default '',
    repeatedly_reverted jsonb not null default '[]',
    order_number        bigint not null default 0,
    deposit_number      bigint not null default 0,
    confirmed_number    bigint not null default 0,
    epoch_nonce         text not null default '',
    mismatched          boolean not null default false,
    locked              jsonb not null default '[]',
    listed_in           text not null default '',
    agent_version       text not null default '',
    check (state in ('live', 'claiming', 'refused', 'retired'))
);
create unique index devices_live_name on devices (name_key) where state = 'live';
create index devices_name on devices (name_key, id);
create index devices_claiming on devices (name_key, id) where state <> 'live';
create index devices_mismatched on devices (id) where mismatched;

-- What must be settled again; written in the transaction of the change that made it necessary.
create table settle_requests (
    id         bigint generated always as identity primary key,
    cause      text not null,
    groups     jsonb not null,
    devices    jsonb not null,
    created_at timestamptz not null,
    attempts   integer not null default 0,
    error      text not null default '',
    next_at    timestamptz not null default 'epoch'
);

-- The audit trail: every entry holds the hash of the one before.
create table audit_entries (
    seq     bigint primary key,
    at      timestamptz not null,
    actor   text not null,
    address text not null,
    action  text not null,
    object  text not null,
    before  jsonb,
    after   jsonb,
    reason  text not null,
    outcome text not null,
    prev    bytea not null,
    hash    bytea not null,
    version integer not null default 0,
    check (outcome in ('done', 'refused'))
);
create index audit_at on audit_entries (at);
create index audit_recent on audit_entries (seq) where outcome = 'done';
create index audit_actor on audit_entries (actor, seq);
create index audit_action on audit_entries (action text_pattern_ops, seq);
create index audit_object on audit_entries (object, seq);
create index audit_refused on audit_entries (seq) where outcome = 'refused';

-- People and groups of the organisation's directory.
create table directory_entries (
    ref        text primary key,
    kind       text not null,
    name       text not null,
    title      text not null,
    sid        text not null unique,
    guid       text unique,
    dn         text not null,
    source     text not null,
    updated_at timestamptz not null,
    gone_at    timestamptz,
    check (kind in ('user', 'group'))
);
create index directory_search on directory_entries using gin ((((ref || ' ') || title)) gin_trgm_ops);

-- The last run of the connection to a directory, one row.
create table directory_sync (
    id         boolean default true primary key,
    started_at timestamptz not null,
    ended_at   timestamptz,
    entries    integer not null default 0,
    added      integer not null default 0,
    changed    integer not null default 0,
    removed    integer not null default 0,
    error      text not null default '',
    losing     integer not null default 0,
    altering   integer not null default 0,
    check (id)
);

create table orders (
    id           bigint generated always as identity primary key,
    device_id    text not null references devices,
    number       bigint not null,
    kind         text not null,
    subject      text not null,
    state        text not null,
    detail       text not null default '',
    created_by   text not null,
    created_at   timestamptz not null,
    ends_at      timestamptz,
    delivered_at timestamptz,
    finished_at  timestamptz,
    not_before   timestamptz,
    revealed     boolean not null default false,
    batch        text not null default '',
    unique (device_id, number),
    check (state in ('queued', 'delivered', 'done', 'failed', 'ended', 'replaced'))
);
create index orders_device on orders (device_id, id);
create index orders_batch on orders (batch) where batch <> '';
create index orders_waiting on orders (device_id) where state in ('queued', 'delivered');
create index orders_created on orders (created_at);

-- Public halves only: the private ones are in a file or a key device, never here.
create table escrow_keys (
    number       bigint primary key,
    use          text not null,
    public       bytea not null,
    state        text not null,
    challenge    text not null default '', -- digest of the answer that proves a copy of the private half
    made_at      timestamptz not null,
    proved_at    timestamptz,
    retired_at   timestamptz,
    made_by      text not null default '',
    asked        text not null default '',
    asked_by     text not null default '',
    asked_at     timestamptz,
    reseal_by    text not null default '',
    reseal_total integer not null default 0,
    reseal_done  integer not null default 0,
    reseal_error text not null default '',
    check (use in ('escrow', 'recovery')),
    check (state in ('new', 'live', 'retired')),
    check (asked in ('', 'live', 'retired'))
);

-- Sealed passwords. A number is used once in an epoch of a device.
create table deposits (
    device_id       text not null references devices,
    epoch           bigint not null,
    number          bigint not null,
    target          text not null,
    account         text not null,
    name_before     text not null,
    name_after      text not null,
    reason          text not null,
    organisation    text not null,
    key_number      bigint not null references escrow_keys,
    sealed          bytea not null,
    recovery_number bigint references escrow_keys,
    recovery_sealed bytea,
    digest          text not null,
    policy          text not null,
    state           text not null,
    deposited_at    timestamptz not null,
    confirmed_at    timestamptz,
    former_at       timestamptz,
    primary key (device_id, epoch, number),
    check (state in ('pending', 'current', 'former'))
);
create index deposits_key on deposits (key_number);
create index deposits_unrecovered on deposits (device_id, target) where (state = 'current') and (recovery_number is null);

-- One row for each password that is or was changed on a device.
create table rotations (
    device_id     text not null references devices,
    target        text not null,
    account       text not null,
    name          text not null,
    changed_at    timestamptz, -- deposit of the current password; null before the first
    next_at       timestamptz, -- as the device says
    every_minutes integer, -- null when no rule asks for it any more
    pending       integer not null default 0, -- deposits that may be the password too
    shown_at      timestamptz,
    shown_by      text not null default '',
    primary key (device_id, target)
);
create index rotations_due on rotations (changed_at);

create table reveals (
    id        bigint generated always as identity primary key,
    device_id text not null references devices,
    target    text not null,
    operator  text not null,
    reason    text not null,
    copied    boolean not null,
    deposits  jsonb not null,
    at        timestamptz not null
);
create index reveals_device on reveals (device_id, target, id);
create index reveals_operator on reveals (operator, at);
create index reveals_at on reveals (at);

create table approvals (
    id         text not null,
    device_id  text not null,
    target     text not null,
    asked_by   text not null,
    reason     text not null,
    asked_at   timestamptz not null,
    ends_at    timestamptz not null,
    decided_by text not null default '',
    decided_at timestamptz,
    approved   boolean not null default false,
    used_at    timestamptz,
    constraint agreements_pkey primary key (id),
    constraint agreements_device_id_fkey foreign key (device_id) references devices(id)
);
create index agreements_open on approvals (ends_at);
create index approvals_device on approvals (device_id);

-- Addresses from which an operator signed in before: wrong passwords of strangers do not keep them out.
create table operator_addresses (
    operator_id text not null references operators,
    address     text not null,
    last_at     timestamptz not null,
    primary key (operator_id, address)
);

-- Refused attempts of people who are not signed in, summed up by the minute until they enter the trail.
create table stranger_attempts (
    minute  timestamptz not null,
    action  text not null,
    address text not null,
    name    text not null,
    count   integer not null,
    primary key (minute, action, address, name)
);

-- The number under which a lock is held, see store.Exclusively.
create table fences (
    lock    bigint primary key,
    number  bigint not null,
    holder  text not null default '',
    ends_at timestamptz not null default '-infinity'
);

-- Up to when old reports were thinned out, so that those that stay are not looked at again.
create table retention (
    what    text primary key,
    done_to timestamptz not null
);

-- A set of edits that goes out together. It alters nothing until it does.
create table changes (
    id         text primary key,
    name       text not null unique,
    title      text not null,
    reason     text not null,
    state      text not null,
    version    bigint not null,
    created_at timestamptz not null,
    created_by text not null,
    updated_at timestamptz not null,
    closed_at  timestamptz,
    asked_by   text not null default '',
    preview    text not null default '',
    needs      jsonb not null default '[]',
    check (state in ('draft', 'waiting', 'approved', 'going_out', 'done', 'dropped', 'reverted'))
);
create index changes_by_time on changes (updated_at desc, id desc);
create index changes_closed on changes (closed_at) where closed_at is not null;
create index changes_open on changes (updated_at desc, id desc) where state in ('draft', 'waiting', 'approved', 'going_out');

-- One edit of one thing, with the version of it that it was based on, 0 for one that did not exist.
create table change_edits (
    change_id text not null references changes on delete cascade,
    type      text not null,
    name      text not null,
    kind      text not null,
    body      jsonb not null,
    based_on  bigint not null,
    position  integer not null,
    edited_at timestamptz not null,
    edited_by text not null,
    version   bigint not null,
    primary key (change_id, type, name),
    check (type in ('policy', 'assignment', 'group'))
);

create table change_events (
    id        bigint generated always as identity primary key,
    change_id text not null references changes on delete cascade,
    at        timestamptz not null,
    who       text not null,
    what      text not null,
    detail    text not null
);
create index change_events_by_change on change_events (change_id, id desc);

-- How the fleet and each group stood, hour by hour; the fleet is the group with no name.
create table standing_hours (
    group_name text not null,
    hour       timestamptz not null,
    in_step    integer not null,
    drifted    integer not null,
    waiting    integer not null,
    held       integer not null,
    silent     integer not null,
    primary key (group_name, hour)
);
create index standing_hours_by_hour on standing_hours (hour);

-- A change on its way to the devices. Body is the state machine without its devices; edits are those that go out, while
-- those of the change may be another set already.
create table rollouts (
    id         text primary key,
    change_id  text not null unique references changes,
    name       text not null unique, -- of the change
    state      text not null,
    version    bigint not null,
    body       jsonb not null,
    edits      jsonb not null,
    touches    jsonb not null, -- things that nothing else may alter meanwhile
    trouble    text not null, -- why it cannot come to its end, empty for nothing
    started_at timestamptz not null,
    started_by text not null,
    looked_at  timestamptz not null, -- when it was looked at last
    ended_at   timestamptz, -- when it was reverted, or its change was made for good
    give_back  boolean not null,
    check (state in ('running', 'paused', 'stopped', 'done', 'reverted'))
);
create index rollouts_under_way on rollouts (id) where ended_at is null;
create index rollouts_by_time on rollouts (started_at desc, id desc);
create index rollouts_give_back on rollouts (ended_at) where give_back;

create table rollout_devices (
    rollout_id  text not null references rollouts on delete cascade,
    device_id   text not null references devices on delete cascade,
    wave        integer not null, -- index
    outcome     text not null,
    failing     jsonb not null, -- settings that failed, were refused or are held
    units       jsonb not null, -- settings that the change alters
    epoch       bigint not null, -- of the first desired state with the change, and its number; 0 before there is one
    number      bigint not null,
    since       timestamptz not null, -- from when reports count
    verified_at timestamptz,
    online      boolean not null default false,
    given_at    timestamptz,
    primary key (rollout_id, device_id)
);
create index rollout_devices_by_device on rollout_devices (device_id);

-- An import, a rule or a change of facts that would alter so much that it waits for a person. Request is what was asked for.
create table brakes (
    id         text primary key,
    kind       text not null,
    object     text not null,
    state      text not null,
    request    text not null,
    fleet      integer not null, -- devices
    devices    integer not null, -- of those, whose desired state it would alter
    leaving    integer not null, -- of those, on which somebody leaves administrators
    sums       jsonb not null,
    asked_by   text not null,
    asked_at   timestamptz not null,
    decided_by text not null,
    decided_at timestamptz,
    reason     text not null,
    check (kind in ('facts', 'rule', 'directory')),
    check (state in ('waiting', 'released', 'refused'))
);
create index brakes_by_time on brakes (asked_at desc, id desc);
create index brakes_waiting on brakes (asked_at desc, id desc) where state = 'waiting';

-- A difference of one device that is accepted until a day: the device leaves it alone, and it is no drift.
create table waivers (
    id          text primary key,
    device_id   text not null references devices on delete cascade,
    unit        text not null,
    subject     text not null,
    words       text not null, -- what the finding said
    state       text not null,
    reason      text not null,
    until       timestamptz not null,
    made_by     text not null,
    made_at     timestamptz not null,
    approved_by text not null, -- empty where nobody had to
    ended_by    text not null, -- empty while it has not
    ended_at    timestamptz,
    check (state in ('waiting', 'active', 'ended'))
);
create unique index waivers_one on waivers (device_id, unit, subject) where state <> 'ended';
create index waivers_due on waivers (until) where state <> 'ended';
create index waivers_by_time on waivers (id desc);

-- Signed statements of how far the trail went at a time, which leave the database too: a chain that nobody anchored can be
-- written anew as a whole.
create table checkpoints (
    seq      bigint primary key references audit_entries,
    at       timestamptz not null,
    hash     bytea not null,
    document text not null,
    key_list text not null,
    made_by  text not null
);

-- One-time codes (RFC 6238) of operators. The secret is sealed with a key that is not in the database; the last step that a
-- code was accepted for lets none be used twice.
create table second_factors (
    operator_id  text primary key references operators on delete cascade,
    secret       bytea not null,
    made_at      timestamptz not null,
    confirmed_at timestamptz,
    last_step    bigint not null default 0
);

create table recovery_codes (
    operator_id text not null references second_factors on delete cascade,
    hash        bytea not null,
    primary key (operator_id, hash)
);

-- Programs without a browser that ask a person for a token (RFC 8628).
create table device_grants (
    hash        bytea primary key,
    user_code   text not null unique,
    program     text not null,
    address     text not null,
    hours       integer not null,
    created_at  timestamptz not null,
    expires_at  timestamptz not null,
    polled_at   timestamptz,
    operator_id text references operators on delete cascade,
    approved    boolean not null default false,
    decided_at  timestamptz,
    fresh_at    timestamptz
);

-- Sign-ins that went to the provider and have not come back; each is used once, in the browser that began it.
create table provider_attempts (
    state      bytea primary key,
    browser    bytea not null,
    nonce      text not null,
    verifier   text not null,
    target     text not null,
    address    text not null,
    fresh      boolean not null,
    created_at timestamptz not null,
    session    bytea
);

-- Where notifications go. Secrets are sealed with a key that is not in the database.
create table notification_targets (
    id           text primary key,
    name         text not null,
    name_key     text not null unique,
    kind         text not null,
    address      text not null,
    settings     jsonb not null,
    secret       bytea,
    events       jsonb not null,
    groups       jsonb not null,
    enabled      boolean not null,
    version      bigint not null default 1,
    created_by   text not null,
    created_at   timestamptz not null,
    failures     integer not null default 0,
    error        text not null default '',
    next_at      timestamptz not null default 'epoch',
    leased_to    timestamptz not null default 'epoch',
    delivered_at timestamptz,
    check (kind in ('webhook', 'syslog', 'mail'))
);

-- What was to tell. A row is written where at least one target wants it, or before that is known.
create table notifications (
    id        text primary key,
    kind      text not null,
    subject   text not null,
    device_id text not null,
    words     text not null,
    path      text not null,
    urgent    boolean not null,
    data      jsonb not null,
    at        timestamptz not null,
    spread    boolean not null
);
create index notifications_unspread on notifications (id) where not spread;
create index notifications_at on notifications (at);

create table deliveries (
    id              bigint generated always as identity primary key,
    target_id       text not null references notification_targets on delete cascade,
    notification_id text not null references notifications on delete cascade,
    state           text not null,
    attempts        integer not null default 0,
    error           text not null default '',
    created_at      timestamptz not null,
    ended_at        timestamptz,
    check (state in ('waiting', 'delivered', 'failed'))
);
create index deliveries_waiting on deliveries (target_id, id) where state = 'waiting';
create index deliveries_target on deliveries (target_id, state, id);
create index deliveries_state on deliveries (state, id);
create index deliveries_notification on deliveries (notification_id);

-- How far the trail was read, and which devices were told of as held or silent.
create table notified_to (
    what text primary key,
    seq  bigint not null
);

create table notified_standings (
    device_id text not null,
    standing  text not null,
    primary key (device_id, standing)
);

-- Passkeys of operators of our own (WebAuthn): the public half, with what the last use told.
create table passkeys (
    id          bytea primary key,
    operator_id text not null references operators,
    name        text not null,
    credential  jsonb not null,
    created_at  timestamptz not null,
    used_at     timestamptz
);
create index passkeys_operator on passkeys (operator_id);

-- Ceremonies under way: each is finished once, within minutes.
create table passkey_ceremonies (
    hash        bytea primary key,
    operator_id text not null,
    session     jsonb not null,
    address     text not null,
    created_at  timestamptz not null
);
create index passkey_ceremonies_address on passkey_ceremonies (address);

-- The programs that share the database, each in a row of its own that it writes every second.
create table replicas (
    id         text primary key,
    host       text not null, -- and the number of the process there
    program    text not null,
    started_at timestamptz not null,
    at         timestamptz not null,
    since      timestamptz not null -- since when the service was there without a gap
);

-- Which program made a version of the schema, and from which version on programs can serve with it.
create table schema_programs (
    version     bigint primary key,
    program     text not null,
    serves_from bigint not null
);

-- When the database went back, and what the service did.
create table database_returns (
    epoch bigint primary key, -- that began
    at    timestamptz not null,
    why   text not null
);

-- A freeze stops settling, waves or both, everywhere.
create table freezes (
    what   text primary key,
    reason text not null,
    by     text not null,
    at     timestamptz not null,
    check (what in ('rollouts', 'all'))
);

create table device_reports (
    id             bigint not null default nextval('device_reports_ids'),
    device_id      text not null,
    epoch          bigint not null,
    seq            bigint not null,
    desired_epoch  bigint not null,
    desired_number bigint not null,
    at             timestamptz not null,
    received_at    timestamptz not null,
    digest         text not null, -- of the signed request that brought it
    body           jsonb, -- of reports that came before bodies were apart, else null
    body_digest    bytea -- SHA-256 of the device and what it said, but for number and time
) partition by range (received_at);

create table report_bodies (
    month     date not null,
    digest    bytea not null,
    device_id text not null,
    body      jsonb not null
) partition by range (month);

create table daily_reports (
    id             bigint not null,
    device_id      text not null,
    epoch          bigint not null,
    seq            bigint not null,
    desired_epoch  bigint not null,
    desired_number bigint not null,
    at             timestamptz not null,
    received_at    timestamptz not null,
    digest         text not null,
    body_digest    bytea not null
) partition by range (received_at);

create table daily_bodies (
    month     date not null,
    digest    bytea not null,
    device_id text not null,
    body      jsonb not null
) partition by range (month);

create table device_events (
    id          bigint not null default nextval('device_events_ids'),
    device_id   text not null,
    epoch       bigint not null,
    seq         bigint not null,
    at          timestamptz not null,
    received_at timestamptz not null,
    kind        text not null,
    unit        text not null,
    subject     text not null,
    policy      text not null default '',
    details     jsonb not null default '{}'
) partition by range (received_at);
create index device_events_device_id_id_idx on device_events (device_id, id);
create index device_events_kind_id_idx on device_events (kind, id);
create index device_events_received_at_idx on device_events (received_at);

create table desired_states (
    device_id   text not null,
    epoch       bigint not null,
    number      bigint not null,
    name        text not null,
    settings    text not null,
    digest      text not null,
    created_at  timestamptz not null,
    scope       text not null,
    verified_at timestamptz
) partition by range (created_at);
create index desired_states_verified_at_idx on desired_states (verified_at) where verified_at is not null;

create table findings (
    id          bigint not null default nextval('findings_ids'),
    device_id   text not null,
    key         text not null,
    unit        text not null,
    kind        text not null,
    subject     text not null,
    expected    jsonb,
    actual      jsonb,
    assignments jsonb not null,
    state       text not null,
    first_seen  timestamptz not null,
    last_seen   timestamptz not null,
    closed_at   timestamptz,
    told        text not null default '',
    check (state in ('open', 'waived', 'settled', 'corrected'))
) partition by range (closed_at);
create index findings_device_id_id_idx on findings (device_id, id);
create index findings_state_id_idx on findings (state, id) where state <> 'open';
create index findings_state_unit_kind_id_idx on findings (state, unit, kind, id) where state <> 'open';
create index findings_first_seen_idx on findings (first_seen);
create index findings_coalesce_idx on findings (coalesce(closed_at, first_seen));
create index findings_closed_at_idx on findings (closed_at) where closed_at is not null;
create index findings_id_idx on findings (id) where told <> state;

insert into notified_to values ('trail', 0);

-- +goose StatementBegin
create function refuse_change() returns trigger language plpgsql as $$
begin
    raise exception 'the audit trail is append-only';
end $$;
-- +goose StatementEnd
create trigger audit_append_only before update or delete or truncate on audit_entries
    for each statement execute function refuse_change();
create trigger checkpoints_append_only before update or delete or truncate on checkpoints
    for each statement execute function refuse_change();

-- Every report that is kept, as it was sent. The last one of a day can be there twice.
create view reports as
    select r.id, r.device_id, r.epoch, r.seq, r.desired_epoch, r.desired_number, r.at, r.received_at, r.digest,
        coalesce(r.body, (select b.body || jsonb_build_object('seq', r.seq, 'at', r.at) from report_bodies b
            where b.month = date_trunc('month', r.received_at at time zone 'UTC')::date and b.digest = r.body_digest)) as body
    from device_reports r
    union all
    select r.id, r.device_id, r.epoch, r.seq, r.desired_epoch, r.desired_number, r.at, r.received_at, r.digest,
        (select b.body || jsonb_build_object('seq', r.seq, 'at', r.at) from daily_bodies b
            where b.month = date_trunc('month', r.received_at at time zone 'UTC')::date and b.digest = r.body_digest)
    from daily_reports r;

-- The program before this one knows the view as a table, and may run beside this one for a while. These go with the next schema.
-- +goose StatementBegin
create function report_added() returns trigger language plpgsql as $$
begin
    new.id := nextval('device_reports_ids');
    insert into device_reports (id, device_id, epoch, seq, desired_epoch, desired_number, at, received_at, digest, body)
        values (new.id, new.device_id, new.epoch, new.seq, new.desired_epoch, new.desired_number, new.at, new.received_at, new.digest, new.body);
    return new;
end $$;
-- +goose StatementEnd
-- +goose StatementBegin
create function report_stays() returns trigger language plpgsql as $$ begin return null; end $$;
-- +goose StatementEnd
create trigger report_added instead of insert on reports for each row execute function report_added();
create trigger report_stays instead of delete on reports for each row execute function report_stays();

-- +goose StatementBegin
create function history_by(parent text) returns text language sql immutable as $$
    select case parent
        when 'device_reports' then 'received_at' when 'report_bodies' then 'month'
        when 'daily_reports' then 'received_at' when 'daily_bodies' then 'month'
        when 'device_events' then 'received_at' when 'desired_states' then 'created_at' when 'findings' then 'closed_at'
    end
$$;
-- +goose StatementEnd

-- What stays when a month goes: what devices have now. Nothing stays where it gives null.
-- +goose StatementBegin
create function history_stays(parent text) returns text language sql immutable as $$
    select case parent
        when 'daily_reports' then 'exists (select from devices d where d.id = x.device_id and d.report_id = x.id)'
        when 'daily_bodies' then 'exists (select from devices d join daily_reports r on r.id = d.report_id and r.received_at = d.reported_at
            where d.id = x.device_id and r.body_digest = x.digest)'
        when 'desired_states' then 'exists (select from devices d where d.id = x.device_id and ((d.desired_epoch, d.desired_number) =
            (x.epoch, x.number) or (d.reported_epoch, d.reported_number) = (x.epoch, x.number)))'
    end
$$;
-- +goose StatementEnd

-- The names and bounds of the parts of a table. A bound is null where there is none.
-- +goose StatementBegin
create function history_parts(parent text) returns table (part text, first timestamptz, past timestamptz) language sql stable
    set search_path = public, pg_temp set timezone = 'UTC' set datestyle = 'ISO' as $$
    select c.relname::text, substring(b.bounds from $x$FROM \('([^']+)'\)$x$)::timestamptz,
        substring(b.bounds from $x$TO \('([^']+)'\)$x$)::timestamptz
    from pg_inherits i join pg_class c on c.oid = i.inhrelid cross join lateral pg_get_expr(c.relpartbound, c.oid) as b(bounds)
    where i.inhparent = to_regclass(parent) and b.bounds <> 'DEFAULT'
$$;
-- +goose StatementEnd

-- history_part makes a table that can become a part of another one. It has indexes of its own: of what is unique within it, which
-- no index over all months can promise, and of what the part before the first month has otherwise.
-- +goose StatementBegin
create function history_part(parent text, part text) returns void language plpgsql as $$
declare
    columns text;
begin
    execute format('create table %I (like %I including defaults including constraints including indexes including storage)', part, parent);
    foreach columns in array case parent
        when 'device_reports' then array['id', 'device_id, epoch, seq'] when 'daily_reports' then array['id', 'device_id, epoch, seq']
        when 'device_events' then array['id', 'device_id, epoch, seq'] when 'desired_states' then array['device_id, epoch, number']
        when 'findings' then array['id'] else array['digest, month'] end loop
        execute format('create unique index on %I (%s)', part, columns);
    end loop;
    if parent = 'device_reports' then -- whoever copies the last of each day reads a day
        execute format('create index on %I using brin (received_at)', part);
    end if;
end $$;
-- +goose StatementEnd

-- history_extend makes the months of a table up to one, and gives their number. The service's role may not alter the schema, but
-- this it may.
-- +goose StatementBegin
create function history_extend(parent text, upto date) returns integer language plpgsql security definer
    set search_path = public, pg_temp set timezone = 'UTC' set datestyle = 'ISO' as $$
declare
    later text := parent || '_later';
    timed text := history_by(parent);
    month timestamptz;
    past timestamptz;
    part text;
    made integer := 0;
begin
    if timed is null then
        raise exception 'the table % has no months', parent;
    end if;
    loop
        select p.first into strict month from history_parts(parent) p where p.part = later;
        exit when month > upto;
        part := format('%s_%s', parent, to_char(month, 'YYYY_MM'));
        past := month + interval '1 month';
        execute format('alter table %I detach partition %I', parent, later);
        perform history_part(parent, part);
        execute format('with moved as (delete from %I where %I < %L returning *) insert into %I select * from moved', later, timed, past, part);
        execute format('alter table %I attach partition %I for values from (%L) to (%L)', parent, part, month, past);
        execute format('alter table %I attach partition %I for values from (%L) to (maxvalue)', parent, later, past);
        made := made + 1;
    end loop;
    return made;
end $$;
-- +goose StatementEnd

-- history_drop drops the months of a table that are over before a day, but for what stays of them, and gives their names.
-- +goose StatementBegin
create function history_drop(parent text, day date) returns text[] language plpgsql security definer
    set search_path = public, pg_temp set timezone = 'UTC' set datestyle = 'ISO' as $$
declare
    stays text := history_stays(parent);
    before text := parent || '_before';
    past text := parent || '_past';
    month timestamptz := date_trunc('month', day::timestamptz);
    gone text[];
begin
    if history_by(parent) is null then
        raise exception 'the table % has no months', parent;
    end if;
    select array_agg(p.part order by p.first nulls first) into gone from history_parts(parent) p where p.past <= month;
    if stays is not null and gone = array[before] then
        return '{}'; -- only what stayed
    end if;
    if stays is not null and gone is not null then
        perform history_part(parent, past);
        execute format('insert into %I select x.* from %I x where %I < %L and %s', past, parent, history_by(parent), month, stays);
    end if;
    for i in 1 .. coalesce(array_length(gone, 1), 0) loop
        execute format('drop table %I', gone[i]);
    end loop;
    if stays is not null and gone is not null then
        execute format('alter table %I rename to %I', past, before);
        execute format('alter table %I attach partition %I for values from (minvalue) to (%L)', parent, before, month);
    end if;
    return coalesce(gone, '{}');
end $$;
-- +goose StatementEnd
revoke execute on function history_extend(text, date), history_drop(text, date) from public;

-- The first month is this one.
-- +goose StatementBegin
do $$
declare
    parent text;
    this timestamptz;
begin
    set local timezone = 'UTC';
    set local datestyle = 'ISO';
    this := date_trunc('month', now());
    create table findings_open (like findings including defaults including constraints, constraint findings_pkey primary key (id));
    execute format('alter table findings_open add constraint before_the_months check (closed_at is null or closed_at < %L)', this);
    create unique index findings_open_once on findings_open (device_id, key) where closed_at is null;
    create index findings_open_id on findings_open (id) where state = 'open';
    create index findings_open_unit on findings_open (unit, kind, id) where state = 'open';
    alter table findings attach partition findings_open default;
    foreach parent in array array['device_reports', 'report_bodies', 'daily_reports', 'daily_bodies', 'device_events', 'desired_states',
            'findings'] loop
        if parent <> 'findings' then
            perform history_part(parent, parent || '_before');
            execute format('alter table %I attach partition %I for values from (minvalue) to (%L)', parent, parent || '_before', this);
        end if;
        perform history_part(parent, parent || '_later');
        execute format('alter table %I attach partition %I for values from (%L) to (maxvalue)', parent, parent || '_later', this);
        perform history_extend(parent, (this + interval '2 months')::date);
    end loop;
end $$;
-- +goose StatementEnd
