package pgcluster

import (
	"context"
	"fmt"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"

	"github.com/jackc/pgx/v5"
)

// Standby starts a second server that follows this one, with its data in dir, which must be empty.
func (c *Cluster) Standby(ctx context.Context, dir string, settings ...string) (*Cluster, error) {
	programs, err := Programs()
	if err != nil {
		return nil, err
	}
	as, err := unprivileged()
	if err != nil {
		return nil, err
	}
	if dir, err = as.reachable(dir); err != nil {
		return nil, err
	}
	from := strings.Replace(c.URL(), "/"+database+"?", "/?", 1)
	copied := exec.CommandContext(ctx, filepath.Join(programs, "pg_basebackup"), "-D", dir, "-d", from, "-R", "-X", "stream", "-c", "fast", "--no-sync")
	as.run(copied)
	copied.Dir = dir
	if out, err := copied.CombinedOutput(); err != nil {
		return nil, fmt.Errorf("copying the database for a standby: %w: %s", err, lastLines(out))
	}
	return as.serve(ctx, programs, dir, settings)
}

// Detach has a standby follow nobody any more: what the leader writes from now on does not reach it.
func (c *Cluster) Detach(ctx context.Context) error {
	if err := c.Do(ctx, "alter system set primary_conninfo = ''"); err != nil {
		return err
	}
	return c.Do(ctx, "select pg_reload_conf()")
}

// Promote has a standby lead.
func (c *Cluster) Promote(ctx context.Context) error { return c.Do(ctx, "select pg_promote(true, 60)") }

// Kill ends the server without a word to anybody, as when its machine loses power.
func (c *Cluster) Kill() {
	_ = syscall.Kill(-c.server.Process.Pid, syscall.SIGKILL) // its children too; it may have ended already
	<-c.exited
}

// Do runs one statement as the role that owns the server.
func (c *Cluster) Do(ctx context.Context, statement string) error {
	conn, err := pgx.Connect(ctx, c.URL())
	if err != nil {
		return fmt.Errorf("asking PostgreSQL: %w", err)
	}
	defer conn.Close(ctx)
	if _, err := conn.Exec(ctx, statement); err != nil {
		return fmt.Errorf("asking PostgreSQL: %w", err)
	}
	return nil
}

// Connect opens a connection.
func Connect(ctx context.Context, url string) (*pgx.Conn, error) { return pgx.Connect(ctx, url) }

// Unprivileged has a program run as whom PostgreSQL runs as, where that is another user.
func Unprivileged(program *exec.Cmd) {
	if as, err := unprivileged(); err == nil {
		program.SysProcAttr = &syscall.SysProcAttr{Credential: as.credential}
	}
}
