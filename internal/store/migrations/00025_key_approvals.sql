-- +goose Up

-- What is asked for of an escrow key until a second person decides, and how far sealing again has come.
alter table escrow_keys
    add column made_by      text        not null default '',
    add column asked        text        not null default '' check (asked in ('', 'live', 'retired')),
    add column asked_by     text        not null default '',
    add column asked_at     timestamptz,
    add column reseal_by    text        not null default '',
    add column reseal_total int         not null default 0,
    add column reseal_done  int         not null default 0,
    add column reseal_error text        not null default '';

-- +goose Down
alter table escrow_keys drop column made_by, drop column asked, drop column asked_by, drop column asked_at, drop column reseal_by,
    drop column reseal_total, drop column reseal_done, drop column reseal_error;
