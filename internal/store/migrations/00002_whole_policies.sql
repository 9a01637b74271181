-- +goose Up

-- A group with a rule: its members are worked out when the rule or a fact changes.
alter table groups add column rule text not null default '';

-- Whether membership is certain, or a fact that the rule reads is not known.
alter table group_members add column certain boolean not null default true;

-- Organisation facts, which no device can set for itself.
alter table devices
    add column path         text  not null default '',
    add column tags         jsonb not null default '[]',
    add column primary_user text  not null default '',
    add column contended    jsonb not null default '[]';

alter table assignments
    add column within jsonb not null default '[]',
    add column stance text  not null default 'enforce' check (stance in ('enforce', 'trial'));

alter table enrolment_tokens
    add column path text  not null default '',
    add column tags jsonb not null default '[]';

-- What the trial assignments of a scope would make of it.
alter table scopes add column projected jsonb;

create extension if not exists pg_trgm;

-- People and groups of the organisation's directory.
create table directory_entries (
    ref        text primary key,
    kind       text        not null check (kind in ('user', 'group')),
    name       text        not null,
    title      text        not null,
    sid        text        not null unique,
    guid       text unique,
    dn         text        not null,
    source     text        not null,
    updated_at timestamptz not null
);
create index directory_search on directory_entries using gin ((ref || ' ' || title) gin_trgm_ops);

-- The last run of the connection to a directory, one row.
create table directory_sync (
    id          boolean primary key default true check (id),
    started_at  timestamptz not null,
    ended_at    timestamptz,
    entries     integer     not null default 0,
    added       integer     not null default 0,
    changed     integer     not null default 0,
    removed     integer     not null default 0,
    error       text        not null default ''
);

-- What devices are told also has the identifiers of the people and groups that it names.
update settings set body = '{"settings":' || body || ',"directory":[]}' where body like '[%';
-- Every device is told anew, in the new form.
insert into settle_requests (cause, groups, devices, created_at) select 'upgrade', '["everything"]', '[]', now() where exists (select 1 from devices);

-- +goose Down
update settings set body = (body::jsonb->'settings')::text where body like '{%';
drop table directory_sync, directory_entries;
alter table scopes drop column projected;
alter table enrolment_tokens drop column path, drop column tags;
alter table assignments drop column within, drop column stance;
alter table devices drop column path, drop column tags, drop column primary_user, drop column contended;
delete from group_members where not certain;
alter table group_members drop column certain;
delete from groups where rule <> '';
alter table groups drop column rule;
