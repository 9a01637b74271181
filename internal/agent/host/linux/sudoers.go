//go:build linux

package linux

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
)

const sudoersFile = "/etc/sudoers"

// sudoers are what sudoers(5) and the files that it includes allow.
type sudoers struct {
	known   bool   // sudo is there, and its reader too
	refused string // why sudo refuses all that it is told; empty where it does not
	specs   []sudoSpec
}

// sudoSpec is what one line allows somebody.
type sudoSpec struct {
	who      sudoWho
	commands []string
	root     string // the command by which whoever may run it comes to be root; empty for none
	via      string // the file
}

// sudoWho is whom a line is for: what stands in it, and of whom that is.
type sudoWho struct {
	text  string
	name  string // of an account or, with group, a group
	id    int    // the number instead of a name; -1 for none
	group bool
	all   bool // everybody
}

// readSudoers reads them with the system's own reader, cvtsudoers(1).
func (h *Host) readSudoers(ctx context.Context) (sudoers, error) {
	if _, err := os.Stat(sudoersFile); err != nil || !h.Tools.has("cvtsudoers") {
		return sudoers{}, nil // sudo is not there, or too old to say
	}
	text, err := h.Tools.run(ctx, "", "cvtsudoers", "--expand-aliases", "--output-format", "json", sudoersFile)
	var complaint *ToolError
	if errors.As(err, &complaint) {
		return sudoers{known: true, refused: complaint.Said}, nil // a file that sudo refuses allows nobody anything
	}
	if err != nil {
		return sudoers{}, err
	}
	name, err := os.Hostname()
	if err != nil {
		return sudoers{}, err
	}
	specs, err := parseSudoers(text, name, wordsOf(sudoersFiles(sudoersFile)))
	return sudoers{known: true, specs: specs}, err
}

// sudoersJSON is what cvtsudoers writes.
type sudoersJSON struct {
	Defaults []struct {
		Options []map[string]any `json:"Options"`
	} `json:"Defaults"`
	Specs []struct {
		Who   []sudoersWho `json:"User_List"`
		Hosts []struct {
			Name    string `json:"hostname"`
			Negated bool   `json:"negated"`
		} `json:"Host_List"`
		Commands []sudoersCommands `json:"Cmnd_Specs"`
	} `json:"User_Specs"`
}

type sudoersWho struct {
	Username     string `json:"username"`
	Usergroup    string `json:"usergroup"`
	NonUnixGroup string `json:"nonunixgroup"`
	Netgroup     string `json:"netgroup"`
	UserID       *int   `json:"userid"`
	UserGID      *int   `json:"usergid"`
	Negated      bool   `json:"negated"`
}

type sudoersCommands struct {
	RunAs []struct {
		Username string `json:"username"`
		UserID   *int   `json:"userid"`
	} `json:"runasusers"`
	Options  []map[string]any `json:"Options"`
	Commands []struct {
		Command string `json:"command"`
		Negated bool   `json:"negated"`
	} `json:"Commands"`
}

// asRoot reports whether commands run as root: by name, by number, or since nobody else is named.
func (c sudoersCommands) asRoot() bool {
	as := len(c.RunAs) == 0
	for _, user := range c.RunAs {
		as = as || user.Username == "ALL" || user.Username == "root" || user.UserID != nil && *user.UserID == 0
	}
	return as
}

func has(options []map[string]any, name string, value bool) bool {
	return slices.ContainsFunc(options, func(o map[string]any) bool { return o[name] == value })
}

// parseSudoers takes from what cvtsudoers wrote who may do what on a host, without root itself. Where sudo asks for the
// password of root instead of the own one, lines lead nobody further that ask for a password.
func parseSudoers(text, hostname string, sourceOf func(who string) string) ([]sudoSpec, error) {
	var read sudoersJSON
	if err := json.Unmarshal([]byte(text), &read); err != nil {
		return nil, fmt.Errorf("what cvtsudoers wrote: %w", err)
	}
	asksRoot := false
	for _, d := range read.Defaults {
		asksRoot = asksRoot || has(d.Options, "targetpw", true) || has(d.Options, "rootpw", true)
	}
	short, _, _ := strings.Cut(hostname, ".")
	var list []sudoSpec
	for _, spec := range read.Specs {
		here := len(spec.Hosts) == 0
		for _, at := range spec.Hosts { // one that is no name may be this one
			here = here || !at.Negated && (at.Name == "" || at.Name == "ALL" || strings.EqualFold(at.Name, hostname) ||
				strings.EqualFold(at.Name, short) || strings.ContainsAny(at.Name, "*?["))
		}
		if !here {
			continue
		}
		var of sudoSpec
		for _, s := range spec.Commands {
			for _, c := range s.Commands {
				name := c.Command
				if c.Negated {
					name = "!" + name
				}
				if !slices.Contains(of.commands, name) {
					of.commands = append(of.commands, name)
				}
				if c.Negated || !s.asRoot() || asksRoot && !has(s.Options, "authenticate", false) {
					continue
				}
				if of.root == "" && leadsToRoot(name) {
					of.root = name
				}
			}
		}
		for _, who := range spec.Who {
			if of.who = who.read(); of.who.text == "" || of.who.text == "root" || len(of.commands) == 0 {
				continue
			}
			of.via = sourceOf(of.who.text)
			list = append(list, of)
		}
	}
	return list, nil
}

// read is whom a line is for, empty for one whom it is not for.
func (w sudoersWho) read() sudoWho {
	switch {
	case w.Negated:
		return sudoWho{}
	case w.Username == "ALL":
		return sudoWho{text: "ALL", id: -1, all: true}
	case w.Username != "":
		return sudoWho{text: w.Username, name: w.Username, id: -1}
	case w.Usergroup != "":
		return sudoWho{text: "%" + w.Usergroup, name: w.Usergroup, id: -1, group: true}
	case w.NonUnixGroup != "":
		return sudoWho{text: "%:" + w.NonUnixGroup, name: w.NonUnixGroup, id: -1, group: true}
	case w.Netgroup != "":
		return sudoWho{text: "+" + w.Netgroup, id: -1, group: true}
	case w.UserID != nil:
		return sudoWho{text: "#" + strconv.Itoa(*w.UserID), id: *w.UserID}
	case w.UserGID != nil:
		return sudoWho{text: "%#" + strconv.Itoa(*w.UserGID), id: *w.UserGID, group: true}
	}
	return sudoWho{}
}

// escapes are programs that run others, write any file or change who may do what: whoever runs one as root is root.
var escapes = func() map[string]bool {
	set := map[string]bool{}
	for name := range strings.FieldsSeq(`ALL sudoedit sudo su runuser setpriv doas pkexec
		sh bash dash zsh ksh mksh fish csh tcsh busybox env nohup nice ionice timeout stdbuf setsid chroot unshare nsenter script
		xargs find awk gawk mawk nawk perl ruby lua node php tclsh expect gdb strace ltrace
		vi vim view vim.basic vim.tiny nvim rvim nano pico ed ex emacs mc less more most man pg
		tee dd cp mv install ln rsync scp sftp ssh tar cpio zip unzip 7z sed
		chmod chown chgrp setfacl setcap mount umount passwd chpasswd chage usermod useradd adduser groupmod gpasswd
		groupadd newusers vipw vigr visudo chsh crontab at batch
		apt apt-get aptitude dpkg dpkg-reconfigure rpm dnf yum zypper snap pip pip3 gem npm
		docker podman lxc lxd virsh systemd-run systemctl machinectl insmod modprobe ldconfig debugfs`) {
		set[name] = true
	}
	return set
}()

// leadsToRoot reports whether whoever may run a command as root, as sudoers(5) writes it, can do anything as root: the
// program runs others or writes files of one's choice, or one may choose the program. Versions such as python3.11
// count as their program.
func leadsToRoot(command string) bool {
	program, args, _ := strings.Cut(command, " ")
	name := path.Base(program)
	switch {
	case strings.HasSuffix(program, "/"), strings.ContainsAny(program, "*?["), name == "python",
		strings.HasPrefix(name, "python2"), strings.HasPrefix(name, "python3"):
		return true
	case name == "systemctl": // what is started is not of one's choice
		words := strings.Fields(args)
		return len(words) == 0 || strings.ContainsAny(args, "*?") || slices.Contains(words, "edit") ||
			slices.Contains(words, "link")
	case name == "apt" || name == "apt-get" || name == "dnf" || name == "yum": // neither are the packages
		return args == "" || strings.Contains(args, "*") || slices.Contains(strings.Fields(args), "-o")
	}
	return escapes[name]
}

// sudo is what is reported of the lines.
func (s sudoers) sudo(d database) []drift.Sudo {
	var list []drift.Sudo
	for _, spec := range s.specs {
		of := drift.Sudo{Name: spec.who.text, Commands: spec.commands, Root: spec.root != "", Via: spec.via}
		for _, p := range d.people {
			if !spec.who.group && (p.name == spec.who.name || p.uid == spec.who.id) && of.SID.IsZero() {
				of.SID = p.sid()
			}
		}
		for _, g := range d.groups {
			if spec.who.group && (g.name == spec.who.name || g.gid == spec.who.id) && of.SID.IsZero() {
				of.SID = d.sidOf(g)
			}
		}
		list = append(list, of)
	}
	return list
}

// sudoersFiles are the main file of sudoers(5) and those that it includes, in their order.
func sudoersFiles(main string) []string {
	var files []string
	var follow func(path string)
	follow = func(path string) {
		if slices.Contains(files, path) {
			return
		}
		files = append(files, path)
		for line := range strings.Lines(string(readOr(path))) {
			word, rest, _ := strings.Cut(strings.TrimSpace(line), " ")
			at := strings.Trim(strings.TrimSpace(rest), `"`)
			if !filepath.IsAbs(at) {
				at = filepath.Join(filepath.Dir(path), at)
			}
			switch word {
			case "@include", "#include":
				follow(at)
			case "@includedir", "#includedir":
				for _, drop := range globbed(filepath.Join(at, "*")) {
					if name := filepath.Base(drop); !strings.Contains(name, ".") && !strings.HasSuffix(name, "~") {
						follow(drop)
					}
				}
			}
		}
	}
	follow(main)
	return files
}

// wordsOf tells in which of the files somebody is named first, in a line or in an alias; the first file where none is.
func wordsOf(files []string) func(who string) string {
	texts := make([]string, len(files))
	for i, path := range files {
		texts[i] = string(readOr(path))
	}
	return func(who string) string {
		for i, text := range texts {
			for line := range strings.Lines(text) {
				line = strings.ReplaceAll(strings.TrimSpace(line), `\ `, " ")
				if strings.HasPrefix(line, "# ") || strings.HasPrefix(line, "##") {
					continue
				}
				words := strings.FieldsFunc(line, func(r rune) bool { return strings.ContainsRune(" \t,=:", r) })
				if slices.Contains(words, who) || strings.HasPrefix(line, who+" ") {
					return files[i]
				}
			}
		}
		return files[0]
	}
}

// Sudo implements [host.TellsUse].
func (h *Host) Sudo(ctx context.Context) ([]drift.Sudo, error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	d, err := h.accounts()
	if err != nil {
		return nil, err
	}
	s, err := h.sudoers(ctx)
	if err != nil {
		return nil, err
	}
	return s.sudo(d), nil
}

// shortPath is a file of the system without the directory that all of them are in.
func shortPath(path string) string { return strings.TrimPrefix(path, "/etc/") }

// whoSID stands for somebody who is no account: for what a name or a line of a file lets in.
func whoSID(what string) principal.SID { return nobody(what) }
