package organisation

import (
	"context"
	"errors"

	"rankwarden.example/internal/store"
)

// Directory lists a page of people and groups; search is any part of a name.
func (s *Service) Directory(
	ctx context.Context, search, kind string, p store.Page,
) ([]store.DirectoryEntry, string, error) {
	return s.Read(ctx).ListDirectory(search, kind, p)
}

// DirectoryState is the last run of the connection; it is false while there was none.
func (s *Service) DirectoryState(ctx context.Context) (store.DirectorySync, bool, error) {
	run, err := s.Read(ctx).DirectorySync()
	if errors.Is(err, store.ErrNotFound) {
		return run, false, nil
	}
	return run, err == nil, err
}
