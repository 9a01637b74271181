-- +goose Up
-- Waits for its turn at the trail, which lasts until the transaction ends, and gives the entry that it ended with then:
-- in one round trip, in which each of the two statements sees what is there when it begins.
-- +goose StatementBegin
create function trail_head() returns table (seq bigint, hash bytea) language plpgsql as $$
begin
    perform pg_advisory_xact_lock(84702);
    return query select e.seq, e.hash from audit_entries e order by e.seq desc limit 1;
end $$;
-- +goose StatementEnd

-- +goose Down
drop function trail_head();
