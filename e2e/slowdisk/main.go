//go:build linux

// Command slowdisk lays a slow disk over a directory: what is written and made lasting there takes its time.
//
//	slowdisk DIR UNDER DELAY
//
// UNDER is where the same directory can be reached without it. It says "ready" and goes on until it is ended.
package main

import (
	"context"
	"fmt"
	"log"
	"os"
	"syscall"
	"time"

	"github.com/hanwen/go-fuse/v2/fs"
	"github.com/hanwen/go-fuse/v2/fuse"
)

// slow is a file or a directory of the disk.
type slow struct {
	fs.LoopbackNode
	delay time.Duration
}

func slowOf(disk *fs.LoopbackRoot, delay time.Duration) *slow {
	return &slow{LoopbackNode: fs.LoopbackNode{RootData: disk}, delay: delay}
}

// WrapChild makes what is found below slow, too.
func (n *slow) WrapChild(context.Context, fs.InodeEmbedder) fs.InodeEmbedder {
	return slowOf(n.RootData, n.delay)
}

var (
	_ fs.NodeFsyncer  = (*slow)(nil)
	_ fs.NodeWriter   = (*slow)(nil)
	_ fs.NodeRenamer  = (*slow)(nil)
	_ fs.NodeUnlinker = (*slow)(nil)

	_ fs.NodeWrapChilder = (*slow)(nil)
)

func (n *slow) Fsync(ctx context.Context, f fs.FileHandle, flags uint32) syscall.Errno {
	time.Sleep(n.delay)
	if lasting, ok := f.(fs.FileFsyncer); ok {
		return lasting.Fsync(ctx, flags)
	}
	return 0 // of a directory
}

func (n *slow) Write(ctx context.Context, f fs.FileHandle, data []byte, off int64) (uint32, syscall.Errno) {
	time.Sleep(n.delay)
	return f.(fs.FileWriter).Write(ctx, data, off)
}

func (n *slow) Rename(ctx context.Context, name string, to fs.InodeEmbedder, as string, flags uint32) syscall.Errno {
	time.Sleep(n.delay)
	return n.LoopbackNode.Rename(ctx, name, to, as, flags)
}

func (n *slow) Unlink(ctx context.Context, name string) syscall.Errno {
	time.Sleep(n.delay)
	return n.LoopbackNode.Unlink(ctx, name)
}

func main() {
	log.SetFlags(0)
	if len(os.Args) != 4 {
		log.Fatal("usage: slowdisk DIR UNDER DELAY")
	}
	delay, err := time.ParseDuration(os.Args[3])
	if err != nil {
		log.Fatal(err)
	}
	var st syscall.Stat_t
	if err := syscall.Stat(os.Args[2], &st); err != nil {
		log.Fatal(err)
	}
	disk := &fs.LoopbackRoot{Path: os.Args[2], Dev: st.Dev}
	disk.RootNode = slowOf(disk, delay)
	server, err := fs.Mount(os.Args[1], disk.RootNode, &fs.Options{MountOptions: fuse.MountOptions{
		AllowOther: true, DirectMountStrict: true, Options: []string{"default_permissions"}, Name: "slowdisk",
	}})
	if err != nil {
		log.Fatal(err)
	}
	fmt.Println("ready")
	server.Wait()
}
