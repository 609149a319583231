package store

import (
	"context"
	"errors"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// mostTouched is of how many rows it is said that they have changed: more than that, and the list is read anew.
const mostTouched = 100

// touched are the rows of the sheet of takes that a transaction has changed: takes, and strands for theirs.
type touched struct {
	rows map[uuid.UUID]bool
	many bool
	// locked is when a production's lock was had; the zero time where none is.
	locked time.Time
}

// touch notes that what the sheet shows of takes or strands has changed. Outside of a transaction nobody asks.
func (q Queries) touch(rows ...uuid.UUID) {
	if q.touched == nil {
		return
	}
	for _, id := range rows {
		if len(q.touched.rows) == mostTouched {
			q.touched.many = true
			return
		}
		q.touched.rows[id] = true
	}
}

// touching runs a statement that must touch a row of something that is shown with a take, and returns which take.
func (q Queries) touching(ctx context.Context, sql string, args ...any) error {
	var take uuid.UUID
	err := q.db.QueryRow(ctx, sql, args...).Scan(&take)
	if errors.Is(err, pgx.ErrNoRows) {
		return ErrNotFound
	}
	q.touch(take)
	return Tag(err)
}

// touchAll notes that no one knows which rows have changed.
func (q Queries) touchAll() {
	if q.touched != nil {
		q.touched.many = true
	}
}

// Touched are the takes, and the strands of takes, that the transaction has changed so far: nil where that is not known, or
// where they are more than a hundred. none says that there are none.
func (q Queries) Touched() (rows []uuid.UUID, none bool) {
	if q.touched == nil || q.touched.many {
		return nil, false
	}
	for id := range q.touched.rows {
		rows = append(rows, id)
	}
	return rows, len(rows) == 0
}
