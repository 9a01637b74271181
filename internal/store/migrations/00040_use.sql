-- +goose Up
-- For what local accounts are used, who is in through sudoers, and who is in which group of the directory.
alter table inventory_accounts
    add column last_sign_in timestamptz,
    add column runs text[] not null default '{}';
alter table devices add column unknown_accounts text not null default '' check (
    unknown_accounts in ('', 'some', 'privileged'));
alter table inventory_members add column via text not null default '';

create table directory_members (
    group_ref  text not null references directory_entries (ref) on delete cascade,
    member_ref text not null references directory_entries (ref) on delete cascade,
    primary key (group_ref, member_ref)
);
create index directory_members_member on directory_members (member_ref);

-- +goose Down
drop table directory_members;
alter table inventory_members drop column via;
alter table devices drop column unknown_accounts;
alter table inventory_accounts drop column last_sign_in, drop column runs;
