package cuts

import (
	"bytes"
	"context"

	"github.com/jackc/pgx/v5"
)

// tables are all that the service keeps, those that others refer to first.
const tables = `select c.relname from pg_class c where c.relkind = 'r' and c.relnamespace = 'public'::regnamespace
	order by c.oid`

// dump reads the whole database, as a backup does.
func (w *world) dump() error {
	w.backup = map[string][]byte{}
	return w.direct(func(conn *pgx.Conn) error {
		names, err := all(w.ctx, conn, tables)
		if err != nil {
			return err
		}
		for _, name := range names {
			var data bytes.Buffer
			if _, err := conn.PgConn().CopyTo(w.ctx, &data, "copy "+name+" to stdout"); err != nil {
				return err
			}
			w.backup[name] = data.Bytes()
		}
		return nil
	})
}

// restore brings the database back to what it was at the dump.
func (w *world) restore() error {
	return w.direct(func(conn *pgx.Conn) error {
		names, err := all(w.ctx, conn, tables)
		if err != nil {
			return err
		}
		// As pg_restore does: triggers and references are not looked at.
		if _, err := conn.Exec(w.ctx, "begin; set local session_replication_role = replica"); err != nil {
			return err
		}
		for _, name := range names {
			if _, err := conn.Exec(w.ctx, "delete from "+name); err != nil {
				return err
			}
			if _, err := conn.PgConn().CopyFrom(w.ctx, bytes.NewReader(w.backup[name]),
				"copy "+name+" from stdin"); err != nil {
				return err
			}
		}
		_, err = conn.Exec(w.ctx, "commit")
		return err
	})
}

func all(ctx context.Context, conn *pgx.Conn, query string) ([]string, error) {
	found, err := conn.Query(ctx, query)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(found, pgx.RowTo[string])
}
