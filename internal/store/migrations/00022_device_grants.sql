-- +goose Up

-- Programs without a browser that ask a person for a token (RFC 8628).
create table device_grants (
    hash        bytea primary key,
    user_code   text        not null unique,
    program     text        not null,
    address     text        not null,
    hours       integer     not null,
    created_at  timestamptz not null,
    expires_at  timestamptz not null,
    polled_at   timestamptz,
    operator_id text references operators (id) on delete cascade,
    approved    boolean     not null default false,
    decided_at  timestamptz,
    fresh_at    timestamptz
);

-- +goose Down
drop table device_grants;
