-- +goose Up

-- Operators who sign in with an identity provider (OpenID Connect): who they are there.
alter table operators add column issuer text not null default '';
alter table operators add column subject text not null default '';
create unique index operators_identity on operators (issuer, subject) where issuer <> '';

-- Sign-ins that went to the provider and have not come back; each is used once, in the browser that began it.
create table provider_attempts (
    state      bytea primary key,
    browser    bytea       not null,
    nonce      text        not null,
    verifier   text        not null,
    target     text        not null,
    address    text        not null,
    fresh      boolean     not null,
    created_at timestamptz not null
);

-- +goose Down
drop table provider_attempts;
drop index operators_identity;
alter table operators drop column issuer, drop column subject;
