-- +goose Up

-- Signed statements of how far the trail went at a time, which leave the database too: a chain that nobody anchored can be
-- written anew as a whole.
create table checkpoints (
    seq      bigint primary key references audit_entries (seq),
    at       timestamptz not null,
    hash     bytea       not null,
    document text        not null,
    key_list text        not null,
    made_by  text        not null
);
create trigger checkpoints_append_only before update or delete or truncate on checkpoints
    for each statement execute function refuse_change();

-- The trail is asked by who, what and on what, latest first.
create index audit_actor on audit_entries (actor, seq);
create index audit_action on audit_entries (action text_pattern_ops, seq);
create index audit_object on audit_entries (object, seq);
create index audit_refused on audit_entries (seq) where outcome = 'refused';

-- +goose Down
drop index audit_actor, audit_action, audit_object, audit_refused;
drop table checkpoints;
