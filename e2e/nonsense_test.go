package e2e

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"

	"rankwarden.example/internal/wire/protocol"
)

// nonsense makes requests that no honest client sends. The same seed makes the same ones.
type nonsense struct {
	*rand.Rand
	session, token string       // of an operator
	device         protocol.Key // of an enrolled device
	now            func() time.Time
}

func (n nonsense) pick(from ...string) string { return from[n.IntN(len(from))] }

func (n nonsense) bytes(most int) string {
	b := make([]byte, n.IntN(most+1))
	for i := range b {
		b[i] = byte(n.IntN(256))
	}
	return string(b)
}

// visible is nonsense without line ends, for headers and paths.
func (n nonsense) visible(most int) string {
	return strings.Map(func(r rune) rune {
		if r < '!' || r > '~' {
			return 'a' + r%26
		}
		return r
	}, n.bytes(most))
}

func (n nonsense) json(depth int) string {
	switch n.IntN(9) {
	case 0:
		return "null"
	case 1:
		return strconv.FormatInt(n.Int64()>>n.IntN(60), 10)
	case 2:
		return n.pick("1e999", "-0", "1.5", "true", "false", "18446744073709551616")
	case 3, 4:
		return strconv.Quote(n.pick(
			"",
			"a\x00b",
			"SKL-X",
			"everything",
			"account:mooring",
			"sid:S-1-5",
			strings.Repeat("x", 5000),
			"2031-13-45",
			"\u202e",
			n.visible(20),
		))
	}
	if depth <= 0 {
		return "[]"
	}
	var parts []string
	array := n.IntN(2) == 0
	for range n.IntN(5) {
		value := n.json(depth - 1)
		if !array {
			value = strconv.Quote(n.pick(
				"name",
				"password",
				"roles",
				"role",
				"groups",
				"rule",
				"devices",
				"source",
				"rank",
				"include",
				"policy",
				"kind",
				"reason",
				"report",
				"events",
				"results",
				"desired",
				"epoch",
				"number",
				"digest",
				"seq",
				"accounts",
				"sid",
				"local_groups",
				"members",
				"target",
				"sealed",
				"account",
				"deposit",
				"orders",
				"held",
				"nonce",
				"facts",
				"token_id",
				n.visible(10),
			)) + ":" + value
		}
		parts = append(parts, value)
	}
	if array {
		return "[" + strings.Join(parts, ",") + "]"
	}
	return "{" + strings.Join(parts, ",") + "}"
}

// request is the bytes of one request of nonsense to an operation.
func (n nonsense) request(o described) []byte {
	path := o.path
	for _, param := range []string{"{name}", "{number}"} {
		path = strings.ReplaceAll(path, param, n.pick(
			"none",
			"%00",
			"..%2f..",
			"SKL-X",
			"-1",
			"1",
			"99999999999999999999",
			"%ff%fe",
			n.visible(30),
			"everything",
		))
	}
	if n.IntN(2) == 0 {
		path += "?" + n.pick(
			"cursor=",
			"limit=",
			"since=",
			"group=",
			"device=",
			"search=",
			"unit=",
			"state=",
			"kind=",
			"=&&",
			"%zz=",
		) + n.pick("x", "%00", "-1", "WzFd", "W10", "bnVsbA", "2031-01-01T00:00:00Z", n.visible(40))
	}
	var b bytes.Buffer
	fmt.Fprintf(
		&b,
		"%s %s HTTP/1.1\r\nHost: x\r\n",
		n.pick(o.method, o.method, o.method, "GET", "POST", "DELETE", "PATCH", "HEAD", "OPTIONS", "XYZZY"),
		path,
	)
	for range n.IntN(3) {
		fmt.Fprintf(&b, "Cookie: rankwarden_session=%s\r\n", n.pick(n.session, n.session, "x", "", n.visible(60)))
	}
	for range n.IntN(3) {
		fmt.Fprintf(&b, "Authorization: %s\r\n", n.pick(
			"x",
			"",
			"Bearer",
			"Bearer ",
			"bearer x",
			"Bearer "+n.token,
			"Bearer "+n.token,
			"Basic Og==",
			n.visible(200),
		))
	}
	for range n.IntN(3) {
		fmt.Fprintf(
			&b,
			"%s: %s\r\n",
			n.pick(
				"If-Match",
				"Content-Type",
				"X-Forwarded-For",
				"X-Forwarded-Proto",
				"Sec-Fetch-Site",
				"Accept",
				"Accept-Encoding",
				"Range",
				"Origin",
				n.visible(15)+"a",
			),
			n.pick(
				`"1"`,
				`W/"1"`,
				"application/json",
				"text/plain",
				"multipart/form-data; boundary=x",
				"cross-site",
				"127.0.0.1",
				n.visible(100),
			),
		)
	}
	body := n.json(4)
	switch n.IntN(6) {
	case 0:
		body = n.bytes(3000)
	case 1:
		body = ""
	}
	if strings.HasPrefix(o.path, protocol.PathPrefix) && n.IntN(4) > 0 {
		body = n.signed(o.path)
	}
	switch n.IntN(8) {
	case 0:
		fmt.Fprintf(&b, "Content-Length: %d\r\n\r\n%s", len(body)+n.IntN(5)-2, body)
	case 1:
		fmt.Fprintf(&b, "Transfer-Encoding: chunked\r\n\r\n%x\r\n%s\r\n0\r\n\r\n", len(body)+n.IntN(2), body)
	default:
		fmt.Fprintf(&b, "Content-Length: %d\r\n\r\n%s", len(body), body)
	}
	return b.Bytes()
}

// signed is a document that a real device signed, or nearly.
func (n nonsense) signed(path string) string {
	document, err := protocol.Sign(
		n.device,
		protocol.Header{KeyID: n.device.ID, URL: path, Time: n.now(), Sequence: n.Int64N(10)},
		rawJSON(n.json(5)),
		n.IntN(5) == 0,
	)
	if err != nil {
		return "nonsense"
	}
	if n.IntN(4) == 0 {
		at := n.IntN(len(document))
		document = document[:at] + n.visible(3) + document[min(len(document), at+n.IntN(4)):]
	}
	return document
}

type rawJSON string

func (r rawJSON) MarshalJSON() ([]byte, error) { return []byte(r), nil }

// send sends bytes, and gives the status of the answer, 0 for none.
func sendRaw(address string, request []byte) int {
	conn, err := net.DialTimeout("tcp", address, 5*time.Second)
	if err != nil {
		return -1
	}
	defer conn.Close()
	_ = conn.SetDeadline(time.Now().Add(300 * time.Millisecond)) // an answer that is held is not waited for
	if _, err := conn.Write(request); err != nil {
		return 0
	}
	answer, _ := io.ReadAll(io.LimitReader(conn, 200))
	var status int
	_, _ = fmt.Sscanf(string(answer), "HTTP/1.1 %d", &status)
	return status
}

// No request, of anybody, ends the process or fails inside: every operation of both protocols gets headers
// and bodies of nonsense, as nobody, as an owner, and as a device. NONSENSE_ROUNDS sets how many rounds.
func TestNonsense(t *testing.T) {
	rounds := 80
	if n, err := strconv.Atoi(os.Getenv("NONSENSE_ROUNDS")); err == nil {
		rounds = n
	}
	s := start(t)
	logged := &heard{}
	s.stop()
	s.log = logged
	s.run()
	s.publish("base", "lockout: {threshold: 5}", 500, "everything")
	key, err := protocol.NewKey()
	require.NoError(t, err)
	parts, err := protocol.ParseToken(s.enrolmentToken(1))
	require.NoError(t, err)
	enrol, err := protocol.Sign(
		protocol.Key{ID: key.ID, Private: key.Private},
		protocol.Header{KeyID: key.ID, URL: protocol.PathEnrol, Time: s.clock.now()},
		protocol.EnrolRequest{
			TokenID: parts.ID,
			Secret:  parts.Secret,
			Facts:   protocol.Facts{Name: "SKL-X", Platform: "windows"},
		},
		true,
	)
	require.NoError(t, err)
	status, _, detail := s.posted(protocol.PathEnrol, enrol)
	require.Equal(t, 200, status, detail)
	token, err := s.owner.CreateToken(t.Context(), "nonsense", "", 24)
	require.NoError(t, err)
	list := operations(t)
	for _, path := range []string{protocol.PathKeys, protocol.PathEnrol, protocol.PathCheckIn, protocol.PathWait,
		protocol.PathDeposit, protocol.PathConfirm, protocol.PathEpoch} {
		list = append(
			list,
			described{path, map[bool]string{true: "GET", false: "POST"}[path == protocol.PathKeys], path},
		)
	}
	list = append(
		list,
		described{"console", "GET", "/"},
		described{"assets", "GET", "/assets/{name}"},
		described{"health", "GET", "/readyz"},
	)
	address, id := strings.TrimPrefix(s.URL, "http://"), s.why("SKL-X").Device.ID
	var running errgroup.Group
	running.SetLimit(4) // each waits a little for answers that are held
	for seed := range rounds {
		n := nonsense{
			rand.New(rand.NewPCG(uint64(seed), 9)),
			strings.TrimPrefix(s.session("asta").Get("Cookie"), "rankwarden_session="),
			token.Secret,
			protocol.Key{ID: id, Private: key.Private},
			s.clock.now,
		}
		requests := make([][]byte, len(list))
		for i, o := range list {
			requests[i] = n.request(o)
			if o.id == "edit-operator" || o.id == "sign-out" || o.id == "revoke-token" || o.id == "retire-device" {
				requests[i] = bytes.ReplaceAll(requests[i], []byte(n.session), []byte("none")) // the rest needs them
				requests[i] = bytes.ReplaceAll(requests[i], []byte(n.token), []byte("none"))
			}
		}
		running.Go(func() error {
			atOnce(len(list), func(i int) error {
				if status := sendRaw(address, requests[i]); status == 500 || status == -1 {
					t.Errorf("round %d, %s: status %d for %.400q", seed, list[i].id, status, requests[i])
				}
				return nil
			})
			return nil
		})
	}
	require.NoError(t, running.Wait())
	resp, err := http.Get(s.URL + "/readyz")
	require.NoError(t, err)
	resp.Body.Close()
	assert.Equal(t, 200, resp.StatusCode)
	_, err = s.owner.Overview(context.Background())
	require.NoError(t, err)
	assert.NotContains(t, logged.String(), "a panic was caught")
	assert.NotContains(t, logged.String(), "a request panicked")
}

// A stream whose listener sends headers of nonsense ends by itself, and not the process.
func TestAStreamOfNonsenseEndsAlone(t *testing.T) {
	s := start(t)
	session := s.session("asta").Get("Cookie")
	for _, authorization := range []string{"x", "", "Bearer", "Bearer ", "\x01"} {
		request := "GET /api/v1/events HTTP/1.1\r\nHost: x\r\nCookie: " + session + "\r\nAuthorization: " +
			authorization + "\r\n\r\n"
		assert.NotEqual(t, 500, sendRaw(strings.TrimPrefix(s.URL, "http://"), []byte(request)))
	}
	s.clock.forward(13 * time.Hour) // the session has ended when the stream looks at it again
	_, err := http.Get(s.URL + "/healthz")
	require.NoError(t, err)
}
