package store

import (
	"database/sql/driver"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5/pgtype"
)

// Lives are starts of an agent.
type Lives []string

// Scan implements [sql.Scanner].
func (l *Lives) Scan(from any) error {
	text, ok := from.(string)
	if !ok {
		return fmt.Errorf("lives of a device: %T", from)
	}
	var list []string
	if err := pgtype.NewMap().Scan(pgtype.TextArrayOID, pgtype.TextFormatCode, []byte(text), &list); err != nil {
		return err
	}
	*l = list
	return nil
}

// Value implements [driver.Valuer].
func (l Lives) Value() (driver.Value, error) {
	text, err := pgtype.NewMap().Encode(pgtype.TextArrayOID, pgtype.TextFormatCode, array[string](l), nil)
	return string(text), err
}

// SetLife notes which start of its agent a device was heard from.
func (t DevicesWriter) SetLife(id, life string, since time.Time, former []string) error {
	return t.exec("update devices set life = $2, life_since = $3, former_lives = $4, changed_at = now() where id = "+
		"$1", id,
		life, since, array[string](former))
}

// SetTrouble notes what keeps the agent of a device from its work, empty for nothing.
func (t DevicesWriter) SetTrouble(id, trouble string) error {
	return t.exec("update devices set trouble = $2, changed_at = now() where id = $1", id, trouble)
}
