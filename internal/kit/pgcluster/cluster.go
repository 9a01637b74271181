// Package pgcluster runs a private PostgreSQL on loopback, for the demo and for tests. It uses the
// server of the operating system's packages, as an unprivileged user when started by root.
package pgcluster

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
)

// Cluster is a running server.
type Cluster struct {
	Port   int
	server *exec.Cmd
	log    *bytes.Buffer
	exited chan error
	dir    string
}

const database = "rankwarden"

// ErrNoServer is given when PostgreSQL is not installed.
var ErrNoServer = errors.New("PostgreSQL is not installed; run: apt-get install postgresql")

// Start starts the server whose data are in dir, and makes them when there are none. Settings are as
// PostgreSQL writes them, such as fsync=off.
func Start(ctx context.Context, dir string, settings ...string) (*Cluster, error) {
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
	if _, err := os.Stat(filepath.Join(dir, "PG_VERSION")); errors.Is(err, os.ErrNotExist) {
		make := exec.CommandContext(
			ctx,
			filepath.Join(programs, "initdb"),
			"-D",
			dir,
			"-U",
			database,
			"-A",
			"trust",
			"-E",
			"UTF8",
			"--locale=C.UTF-8",
			"--no-sync",
		)
		as.run(make)
		make.Dir = dir
		if out, err := make.CombinedOutput(); err != nil {
			return nil, fmt.Errorf("making the database: %w: %s", err, lastLines(out))
		}
	} else if err != nil {
		return nil, fmt.Errorf("looking for the database: %w", err)
	}
	return as.serve(ctx, programs, dir, settings)
}

// serve starts the server on data that are there.
func (a account) serve(ctx context.Context, programs, dir string, settings []string) (*Cluster, error) {
	port, err := freePort()
	if err != nil {
		return nil, err
	}
	c := &Cluster{Port: port, log: &bytes.Buffer{}, exited: make(chan error, 1), dir: dir}
	c.server = exec.Command(
		filepath.Join(programs, "postgres"),
		"-D",
		dir,
		"-p",
		strconv.Itoa(port),
		"-h",
		"127.0.0.1",
		"-k",
		"",
		"-c",
		"max_connections=300",
		"-c",
		"fsync=on",
		"-c",
		"shared_buffers=256MB",
		"-c",
		"log_min_messages=warning",
	)
	for _, setting := range settings {
		c.server.Args = append(c.server.Args, "-c", setting)
	}
	a.run(c.server)
	c.server.Dir = dir
	c.server.Stderr = &tail{c.log}
	started := make(chan error)
	go func() {
		// The server is told to end when the thread that started it does, so this one stays with it.
		runtime.LockOSThread()
		err := c.server.Start()
		started <- err
		if err == nil {
			c.exited <- c.server.Wait()
			close(c.exited) // it has ended for everybody who asks
		}
	}()
	if err := <-started; err != nil {
		return nil, fmt.Errorf("starting PostgreSQL: %w", err)
	}
	if err := c.ready(ctx); err != nil {
		c.Stop()
		return nil, err
	}
	return c, nil
}

// URL is where the database is.
func (c *Cluster) URL() string {
	return fmt.Sprintf("postgres://%s@127.0.0.1:%d/%s?sslmode=disable", database, c.Port, database)
}

// Stop ends the server quickly and cleanly.
func (c *Cluster) Stop() {
	_ = c.server.Process.Signal(syscall.SIGINT) // fast shutdown; it may have ended already
	select {
	case <-c.exited:
	case <-time.After(20 * time.Second):
		_ = c.server.Process.Kill()
		<-c.exited
	}
}

// ready waits until the server answers, and makes our database.
func (c *Cluster) ready(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, time.Minute)
	defer cancel()
	admin := fmt.Sprintf("postgres://%s@127.0.0.1:%d/postgres?sslmode=disable", database, c.Port)
	for {
		conn, err := pgx.Connect(ctx, admin)
		if err == nil {
			defer conn.Close(ctx)
			return c.createDatabase(ctx, conn, database)
		}
		select {
		case <-c.exited:
			return fmt.Errorf("PostgreSQL ended as it started: %s", lastLines(c.log.Bytes()))
		case <-ctx.Done():
			return fmt.Errorf("PostgreSQL does not answer: %w: %s", err, lastLines(c.log.Bytes()))
		case <-time.After(50 * time.Millisecond):
		}
	}
}

func (c *Cluster) createDatabase(ctx context.Context, conn *pgx.Conn, name string) error {
	var there bool
	if err := conn.QueryRow(ctx, "select exists (select from pg_database where datname = $1)", name).
		Scan(&there); err != nil ||
		there {
		return err
	}
	_, err := conn.Exec(ctx, "create database "+pgx.Identifier{name}.Sanitize())
	return err
}

// CopyDatabase makes another database that has all that one has to which nobody is connected, and gives its URL.
func (c *Cluster) CopyDatabase(ctx context.Context, from, name string) (string, error) {
	conn, err := pgx.Connect(ctx, c.URL())
	if err != nil {
		return "", fmt.Errorf("copying a database: %w", err)
	}
	defer conn.Close(ctx)
	_, err = conn.Exec(
		ctx,
		"create database "+pgx.Identifier{name}.Sanitize()+" template "+pgx.Identifier{from}.Sanitize(),
	)
	if err != nil {
		return "", fmt.Errorf("copying a database: %w", err)
	}
	return c.urlOf(name), nil
}

// CreateDatabase makes another database in the server and gives its URL.
func (c *Cluster) CreateDatabase(ctx context.Context, name string) (string, error) {
	conn, err := pgx.Connect(ctx, c.URL())
	if err != nil {
		return "", fmt.Errorf("making a database: %w", err)
	}
	defer conn.Close(ctx)
	return c.urlOf(name), c.createDatabase(ctx, conn, name)
}

// ServiceRole is the role that the service runs as, where another one owns the schema.
const ServiceRole = "rankwarden_service"

// AddServiceRole makes that role where it is not there.
func (c *Cluster) AddServiceRole(ctx context.Context) error {
	conn, err := pgx.Connect(ctx, c.URL())
	if err != nil {
		return fmt.Errorf("making a role: %w", err)
	}
	defer conn.Close(ctx)
	var there bool
	err = conn.QueryRow(ctx, "select exists (select from pg_roles where rolname = $1)", ServiceRole).Scan(&there)
	if err == nil && !there {
		_, err = conn.Exec(ctx, "create role "+ServiceRole+" login")
	}
	if err != nil {
		return fmt.Errorf("making a role: %w", err)
	}
	return nil
}

// ForService is the URL of a database as the service's role.
func ForService(url string) string {
	return strings.Replace(url, "//"+database+"@", "//"+ServiceRole+"@", 1)
}

// ForOwner is the URL of a database as the role that owns it.
func ForOwner(url string) string {
	return strings.Replace(url, "//"+ServiceRole+"@", "//"+database+"@", 1)
}

func (c *Cluster) urlOf(name string) string {
	return strings.Replace(c.URL(), "/"+database+"?", "/"+name+"?", 1)
}

// Programs is the directory of the newest installed server's programs.
func Programs() (string, error) {
	dirs, _ := filepath.Glob("/usr/lib/postgresql/*/bin")
	slices.SortFunc(dirs, func(a, b string) int { return len(b) - len(a) + 2*strings.Compare(b, a) })
	if path, err := exec.LookPath("initdb"); err == nil {
		dirs = append(dirs, filepath.Dir(path))
	}
	for _, dir := range dirs {
		if _, err := os.Stat(filepath.Join(dir, "postgres")); err == nil {
			return dir, nil
		}
	}
	return "", ErrNoServer
}

// account is who the server runs as; the zero account is who we are.
type account struct{ credential *syscall.Credential }

// unprivileged gives the user that PostgreSQL runs as when we are root, whom it refuses.
func unprivileged() (account, error) {
	if os.Getuid() != 0 {
		return account{}, nil
	}
	for _, name := range []string{"postgres", "nobody"} {
		if u, err := user.Lookup(name); err == nil {
			uid, errUID := strconv.ParseUint(u.Uid, 10, 32)
			gid, errGID := strconv.ParseUint(u.Gid, 10, 32)
			return account{&syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}}, errors.Join(errUID, errGID)
		}
	}
	return account{}, errors.New(
		"PostgreSQL does not run as root, and there is no user postgres or nobody; run this as an ordinary user",
	)
}

func (a account) run(c *exec.Cmd) {
	// Its own process group, so that Ctrl-C reaches us first and we stop it in order.
	c.SysProcAttr = &syscall.SysProcAttr{Credential: a.credential, Setpgid: true, Pdeathsig: syscall.SIGINT}
}

// reachable makes dir, for the account alone. Where the account cannot get there, because a folder
// above is closed to others, it gives a directory of the same lasting name under /var/tmp.
func (a account) reachable(dir string) (string, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return "", err
	}
	if a.credential != nil {
		// The folder that holds ours is ours to open; those above it are not.
		if err := os.MkdirAll(filepath.Dir(dir), 0o755); err != nil {
			return "", fmt.Errorf("making the database's directory: %w", err)
		}
		if info, err := os.Stat(filepath.Dir(dir)); err == nil && info.Mode().Perm()&0o001 == 0 {
			_ = os.Chmod(filepath.Dir(dir), info.Mode().Perm()|0o011) // if it fails, the next look finds out
		}
		if closedAbove(dir) {
			sum := sha256.Sum256([]byte(dir))
			dir = filepath.Join("/var/tmp", "rankwarden-"+hex.EncodeToString(sum[:6]))
		}
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return "", fmt.Errorf("making the database's directory: %w", err)
	}
	if a.credential != nil {
		if err := os.Chown(dir, int(a.credential.Uid), int(a.credential.Gid)); err != nil {
			return "", fmt.Errorf("making the database's directory: %w", err)
		}
	}
	return dir, nil
}

// closedAbove reports whether a folder above dir cannot be entered by everybody.
func closedAbove(dir string) bool {
	for at := filepath.Dir(dir); ; at = filepath.Dir(at) {
		info, err := os.Stat(at)
		if err != nil || info.Mode().Perm()&0o001 == 0 {
			return true
		}
		if at == filepath.Dir(at) {
			return false
		}
	}
}

// Remove deletes the data of a stopped server that was started with dir.
func Remove(dir string) error {
	a, err := unprivileged()
	if err != nil {
		return err
	}
	if dir, err = a.reachable(dir); err != nil {
		return err
	}
	return os.RemoveAll(dir)
}

// freePort asks the operating system for a port on loopback that nobody uses.
func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, fmt.Errorf("looking for a free port: %w", err)
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

// tail keeps the end of what the server prints.
type tail struct{ to *bytes.Buffer }

var _ io.Writer = (*tail)(nil)

func (t *tail) Write(p []byte) (int, error) {
	const most = 16 << 10
	if t.to.Len() > most {
		t.to.Reset()
	}
	return t.to.Write(p)
}

func lastLines(out []byte) string {
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	return strings.Join(lines[max(0, len(lines)-3):], "; ")
}
