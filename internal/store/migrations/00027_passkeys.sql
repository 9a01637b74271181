-- +goose Up

-- Passkeys of operators of our own (WebAuthn): the public half, with what the last use told.
create table passkeys (
    id          bytea primary key,
    operator_id text        not null references operators,
    name        text        not null,
    credential  jsonb       not null,
    created_at  timestamptz not null,
    used_at     timestamptz
);
create index passkeys_operator on passkeys (operator_id);

-- Ceremonies under way: each is finished once, within minutes.
create table passkey_ceremonies (
    hash        bytea primary key,
    operator_id text        not null,
    session     jsonb       not null,
    address     text        not null,
    created_at  timestamptz not null
);
create index passkey_ceremonies_address on passkey_ceremonies (address);

-- +goose Down
drop table passkeys, passkey_ceremonies;
