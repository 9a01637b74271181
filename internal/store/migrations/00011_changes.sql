-- +goose Up

-- A set of edits that goes out together. It alters nothing until it does.
create table changes (
    id          text        primary key,
    name        text        not null unique,
    title       text        not null,
    reason      text        not null,
    state       text        not null check (state in ('draft', 'waiting', 'approved', 'done', 'dropped')),
    version     bigint      not null,
    created_at  timestamptz not null,
    created_by  text        not null,
    updated_at  timestamptz not null,
    closed_at   timestamptz,
    -- Asked for by whom, for which preview, and why a second person must approve.
    asked_by    text        not null default '',
    preview     text        not null default '',
    needs       jsonb       not null default '[]'
);
create index changes_open on changes (updated_at desc, id desc) where state in ('draft', 'waiting', 'approved');
create index changes_by_time on changes (updated_at desc, id desc);

-- One edit of one thing, with the version of it that it was based on, 0 for one that did not exist.
create table change_edits (
    change_id   text        not null references changes on delete cascade,
    type        text        not null check (type in ('policy', 'assignment', 'group')),
    name        text        not null,
    kind        text        not null,
    body        jsonb       not null,
    based_on    bigint      not null,
    position    integer     not null,
    edited_at   timestamptz not null,
    edited_by   text        not null,
    primary key (change_id, type, name)
);

create table change_events (
    id          bigint      primary key generated always as identity,
    change_id   text        not null references changes on delete cascade,
    at          timestamptz not null,
    who         text        not null,
    what        text        not null,
    detail      text        not null
);
create index change_events_by_change on change_events (change_id, id desc);

-- +goose Down
drop table change_events;
drop table change_edits;
drop table changes;
