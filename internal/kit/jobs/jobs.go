// Package jobs runs what the service does again and again by itself: one replica of all at a time, on a schedule that
// is kept in the database. What fails is tried again, later each time, until its next turn comes anyway.
package jobs

import (
	"context"
	"fmt"
	"log/slog"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivertype"

	"rankwarden.example/internal/kit/tracing"
)

// Job is something that is done again and again.
type Job struct {
	Name  string
	Every time.Duration // from one beginning to the next, 1 second at least
	// Long says that a turn may take minutes.
	Long bool
	Do   func(ctx context.Context) error
}

// attempts is how often a turn is tried; the last comes some minutes after the first.
const attempts = 4

// turnsEnd is how long a turn may take, and longTurnsEnd that of a long job. One that is under way for longer was lost
// with its replica, or that is frozen, and another takes it up; until then nobody can tell the two apart. Every job may
// therefore be cut anywhere, and begin again.
const (
	turnsEnd     = 30 * time.Second
	longTurnsEnd = 10 * time.Minute
)

// Runner runs jobs. Use [Start].
type Runner struct{ client *river.Client[pgx.Tx] }

// Start starts to run jobs over a database that was migrated, also those that another replica plans. The first turn of
// each comes at once.
func Start(ctx context.Context, pool *pgxpool.Pool, log *slog.Logger, list []Job) (*Runner, error) {
	workers := river.NewWorkers()
	river.AddWorker(workers, &worker{jobs: list, log: log})
	var periodic []*river.PeriodicJob
	for _, job := range list {
		periodic = append(periodic, river.NewPeriodicJob(
			river.PeriodicInterval(max(job.Every, time.Second)),
			func() (river.JobArgs, *river.InsertOpts) { return turn{job.Name}, nil },
			&river.PeriodicJobOpts{RunOnStart: true},
		))
	}
	client, err := river.NewClient(riverpgxv5.New(pool), &river.Config{
		Queues: map[string]river.QueueConfig{
			river.QueueDefault: {MaxWorkers: len(list)},
		}, Workers: workers, PeriodicJobs: periodic,
		MaxAttempts: attempts, JobTimeout: turnsEnd, RescueStuckJobsAfter: 2 * turnsEnd,
		Logger: slog.New(quiet{log.Handler()}),
		// What ended is of no use to anybody: what a job did is in its own records.
		CompletedJobRetentionPeriod: time.Hour, CancelledJobRetentionPeriod: time.Hour,
		DiscardedJobRetentionPeriod: time.Hour,
	})
	if err == nil {
		err = client.Start(ctx)
	}
	if err != nil {
		return nil, fmt.Errorf("starting jobs: %w", err)
	}
	return &Runner{client}, nil
}

// Stop ends jobs under way, and waits for them until the context ends.
func (r *Runner) Stop(ctx context.Context) error {
	if err := r.client.StopAndCancel(ctx); err != nil {
		return fmt.Errorf("stopping jobs: %w", err)
	}
	return nil
}

// turn is one turn of a job, as it is stored.
type turn struct {
	Name string `json:"name"`
}

// Kind implements [river.JobArgs].
func (turn) Kind() string { return "turn" }

// InsertOpts has at most one turn of a job wait or run.
func (turn) InsertOpts() river.InsertOpts {
	return river.InsertOpts{
		UniqueOpts: river.UniqueOpts{ByArgs: true, ByState: []rivertype.JobState{rivertype.JobStateAvailable,
			rivertype.JobStatePending, rivertype.JobStateRetryable, rivertype.JobStateRunning,
			rivertype.JobStateScheduled}},
	}
}

// worker carries out turns.
type worker struct {
	river.WorkerDefaults[turn]
	jobs []Job
	log  *slog.Logger
}

// Timeout implements [river.Worker].
func (w *worker) Timeout(t *river.Job[turn]) time.Duration {
	for _, job := range w.jobs {
		if job.Name == t.Args.Name && job.Long {
			return longTurnsEnd
		}
	}
	return turnsEnd
}

// Work implements [river.Worker].
func (w *worker) Work(ctx context.Context, t *river.Job[turn]) error {
	for _, job := range w.jobs {
		if job.Name != t.Args.Name {
			continue
		}
		ctx, span := tracing.Tracer().Start(ctx, "job: "+job.Name)
		err := job.Do(ctx)
		tracing.Failed(span, err)
		span.End()
		if err != nil && ctx.Err() == nil {
			w.log.Warn("a job failed; it is tried again", "job", job.Name, "attempt", t.Attempt, "error", err)
		}
		return err
	}
	return river.JobCancel(fmt.Errorf("this replica has no job %q", t.Args.Name))
}

// quiet leaves out what only tells that all is as usual, and what the worker told already.
type quiet struct{ slog.Handler }

// Enabled implements [slog.Handler].
func (q quiet) Enabled(ctx context.Context, level slog.Level) bool {
	return level >= slog.LevelError && q.Handler.Enabled(ctx, level)
}
