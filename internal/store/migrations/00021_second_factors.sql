-- +goose Up

-- One-time codes (RFC 6238) of operators. The secret is sealed with a key that is not in the database; the last step that a
-- code was accepted for lets none be used twice.
create table second_factors (
    operator_id  text primary key references operators (id) on delete cascade,
    secret       bytea       not null,
    made_at      timestamptz not null,
    confirmed_at timestamptz,
    last_step    bigint      not null default 0
);
create table recovery_codes (
    operator_id text  not null references second_factors (operator_id) on delete cascade,
    hash        bytea not null,
    primary key (operator_id, hash)
);
-- Whether a session was opened with a second factor.
alter table sessions add column factor boolean not null default false;

-- An owner for the day on which nobody else gets in: whose password lies in a sealed envelope, and whose use is an alarm.
alter table operators add column sealed_at timestamptz;
alter table operators add column opened_at timestamptz;

-- +goose Down
alter table operators drop column sealed_at, drop column opened_at;
alter table sessions drop column factor;
drop table recovery_codes, second_factors;
