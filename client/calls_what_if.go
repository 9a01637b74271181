package client

import (
	"context"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
)

// WhatIf says what would become of the fleet if something were otherwise. It alters nothing.
func (c *Client) WhatIf(ctx context.Context, w api.WhatIf) (api.WhatThen, error) {
	var out api.WhatThen
	_, err := c.do(ctx, call{op: operation.WhatIf, in: w, out: &out})
	return out, err
}
