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
