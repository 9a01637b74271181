package client

import (
	"context"
	"net/url"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
)

// Directory lists people and groups; search is any part of a name, kind is user or group or empty.
func (c *Client) Directory(ctx context.Context, search, kind string, p Page) (List[api.DirectoryEntry], error) {
	return list[api.DirectoryEntry](ctx, c, operation.ListDirectory, values("search", search, "kind", kind), p)
}

// ImportDirectory takes people and groups from an LDIF file. With replace, what an earlier import
// brought and this one lacks has vanished; with accept also when that are many that policies name.
func (c *Client) ImportDirectory(ctx context.Context, ldif []byte, replace, accept bool) (api.DirectoryChange, error) {
	var out api.DirectoryChange
	query := url.Values{}
	if replace {
		query.Set("replace", "true")
	}
	if accept {
		query.Set("accept", "true")
	}
	_, err := c.do(ctx, call{op: operation.ImportDirectory, query: query, raw: ldif, out: &out})
	return out, err
}

// DirectoryConnection is the connection to a directory and its last run.
func (c *Client) DirectoryConnection(ctx context.Context) (api.DirectoryState, error) {
	out, _, err := get[api.DirectoryState](ctx, c, operation.DirectoryConnection, nil)
	return out, err
}

// ReadDirectory reads the directory over the connection now.
func (c *Client) ReadDirectory(ctx context.Context, accept bool) (api.DirectoryChange, error) {
	var out api.DirectoryChange
	query := url.Values{}
	if accept {
		query.Set("accept", "true")
	}
	_, err := c.do(ctx, call{op: operation.ReadDirectory, query: query, out: &out})
	return out, err
}

// DeleteDirectoryEntry deletes a person or group that vanished from the directory.
func (c *Client) DeleteDirectoryEntry(ctx context.Context, ref string) error {
	_, err := c.do(ctx, call{op: operation.DeleteDirectoryEntry, in: map[string]string{"ref": ref}})
	return err
}

// SetFacts sets organisation facts of devices, all or none.
func (c *Client) SetFacts(ctx context.Context, facts []api.Facts) error {
	_, err := c.do(ctx, call{op: operation.SetDeviceFacts, in: map[string]any{"devices": facts}})
	return err
}

// TryFacts says what facts would alter, without setting them.
func (c *Client) TryFacts(ctx context.Context, facts []api.Facts) (api.FactsTrial, error) {
	var out api.FactsTrial
	_, err := c.do(ctx, call{op: operation.TryDeviceFacts, in: map[string]any{"devices": facts}, out: &out})
	return out, err
}

// Letters are the people and groups that policies in force name, as the directory writes them.
func (c *Client) Letters(ctx context.Context) ([]api.Letters, error) {
	all, err := list[api.Letters](ctx, c, operation.DirectoryLetters, nil, Page{})
	return all.Items, err
}
