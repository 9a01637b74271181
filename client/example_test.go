package client_test

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// A program reads which devices have drifted. A list is read page by page; [client.All] reads all of it.
func Example() {
	service := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		if r.URL.Query().Get("cursor") == "" {
			fmt.Fprint(
				w,
				`{"items": [{"name": "SKL-TKT-001", "standing": "drifted", "open_findings": 2}], "next": "more"}`,
			)
			return
		}
		fmt.Fprint(w, `{"items": [{"name": "SKL-TKT-007", "standing": "drifted", "open_findings": 1}], "next": ""}`)
	}))
	defer service.Close()

	ctx := context.Background()
	c := client.New(service.URL, "rwt_a-token-that-an-operator-made")
	devices, err := client.All(1000, func(p client.Page) (client.List[api.Device], error) {
		return c.Devices(ctx, client.DeviceQuery{Standing: "drifted"}, p)
	})
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, d := range devices {
		fmt.Println(d.Name, d.OpenFindings)
	}
	// Output:
	// SKL-TKT-001 2
	// SKL-TKT-007 1
}

// What the service refuses says what is wrong and the way out, with a code where a program must tell it apart.
func ExampleProblem() {
	service := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(http.StatusForbidden)
		fmt.Fprint(
			w,
			`{"status": 403, "code": "out_of_reach", "detail": "your role does not reach the device SKL-HQ-001"}`,
		)
	}))
	defer service.Close()

	_, err := client.New(service.URL, "rwt_…").
		Reveal(context.Background(), "SKL-HQ-001", api.RevealSpec{Reason: "ticket 4711"})
	var refused *client.Problem
	if errors.As(err, &refused) {
		fmt.Println(refused.Code)
		fmt.Println(refused)
	}
	// Output:
	// out_of_reach
	// your role does not reach the device SKL-HQ-001
}
