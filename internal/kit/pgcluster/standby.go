package pgcluster

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"

	"github.com/jackc/pgx/v5"
)

// Standby starts a second server that follows this one, with its data in dir, which must be empty.
func (c *Cluster) Standby(ctx context.Context, dir string, settings ...string) (*Cluster, error) {
	as, programs, dir, err := c.copied(ctx, dir, "-R")
	if err != nil {
		return nil, err
	}
	return as.serve(ctx, programs, dir, settings)
}

// Backup copies the server's data into dir, which must be empty, while it runs. It gives where they are.
func (c *Cluster) Backup(ctx context.Context, dir string) (string, error) {
	_, _, dir, err := c.copied(ctx, dir)
	return dir, err
}

// Recover starts a server on a backup, which first replays what the settings say, such as restore_command.
func Recover(ctx context.Context, dir string, settings ...string) (*Cluster, error) {
	programs, err := Programs()
	if err != nil {
		return nil, err
	}
	as, err := unprivileged()
	if err != nil {
		return nil, err
	}
	signal := filepath.Join(dir, "recovery.signal")
	if err := os.WriteFile(signal, nil, 0o600); err != nil {
		return nil, fmt.Errorf("recovering the database: %w", err)
	}
	if as.credential != nil {
		if err := os.Chown(signal, int(as.credential.Uid), int(as.credential.Gid)); err != nil {
			return nil, fmt.Errorf("recovering the database: %w", err)
		}
	}
	return as.serve(ctx, programs, dir, settings)
}

// copied copies the server's data into dir.
func (c *Cluster) copied(
	ctx context.Context, to string, options ...string,
) (as account, programs, dir string, err error) {
	if programs, err = Programs(); err != nil {
		return as, programs, to, err
	}
	if as, err = unprivileged(); err != nil {
		return as, programs, to, err
	}
	if dir, err = as.reachable(to); err != nil {
		return as, programs, to, err
	}
	from := strings.Replace(c.URL(), "/"+database+"?", "/?", 1)
	copying := exec.CommandContext(ctx, filepath.Join(programs, "pg_basebackup"),
		append([]string{"-D", dir, "-d", from, "-X", "stream", "-c", "fast", "--no-sync"}, options...)...)
	as.run(copying)
	copying.Dir = dir
	if out, wrong := copying.CombinedOutput(); wrong != nil {
		err = fmt.Errorf("copying the database: %w: %s", wrong, lastLines(out))
	}
	return as, programs, dir, err
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
