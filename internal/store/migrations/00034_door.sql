-- +goose Up
-- What a second person was asked to agree to, or agreed to: each way in with its devices. Apart, since it may be long and lists
-- of changes do not need it.
create table agreements (
    id     text primary key, -- of a change, or of what the brake holds
    access text not null     -- JSON
);

-- What was put into force without anybody looking at it first, to be summed over a day.
create table passages (
    id      bigint generated always as identity primary key,
    at      timestamptz not null,
    source  text not null, -- who did it
    devices integer not null, -- whose desired state it altered
    lost    integer not null -- of those, on which somebody left a privileged local group
);
create index passages_by_source on passages (source, at);

-- Why a second person must agree to what is held, empty for nobody; and what takes an edit back, once it was made.
alter table brakes add column needs jsonb not null default '[]';
alter table change_edits add column undo jsonb;

-- An operator has an epoch, which begins anew with a password, a role, a second factor or the operator being let in again. What
-- began in another one is worth nothing. Who signs in with the provider was confirmed there at a time.
alter table operators add column epoch bigint not null default 1;
alter table operators add column confirmed_at timestamptz;
alter table sessions add column epoch bigint not null default 1;
alter table api_tokens add column epoch bigint not null default 1;
alter table device_grants add column epoch bigint not null default 1;

-- Groups over which the provider's roles give reach, also before somebody of them has signed in.
create table provider_reach (
    name text primary key -- of the group
);
