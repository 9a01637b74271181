package e2e

import (
	"crypto/ed25519"
	"encoding/base64"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/stretchr/testify/require"

	"rankwarden.example/console"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rotation"
	"rankwarden.example/internal/app"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/wire/escrow"
	"rankwarden.example/internal/wire/protocol"
)

const (
	depositors  = 64 // devices that deposit at once
	depositEach = 20
)

// BenchmarkDeposits shows how many signed deposits a second the service takes, checked, opened and durable, and the
// share that is of what cannot be left out: to check the signature and to open what is sealed, with nothing around it,
// and to have PostgreSQL insert a row of the same size, durable, from as many connections in the same run.
func BenchmarkDeposits(b *testing.B) {
	ctx := b.Context()
	url, err := cluster.CreateDatabase(ctx, fmt.Sprintf("bench_%d", databases.Add(1)))
	require.NoError(b, err)
	escrowFile := b.TempDir() + "/escrow.json"
	config := app.Config{
		Listen:       "127.0.0.1:0",
		Database:     url,
		Keys:         b.TempDir() + "/keys.json",
		EscrowKeys:   escrowFile,
		Organisation: "Skerry Line",
		Interval:     time.Hour,
	}
	require.NoError(b, app.CreateKeys(ctx, config))
	running, err := app.Start(ctx, config, console.Files(), slog.New(slog.DiscardHandler))
	require.NoError(b, err)
	b.Cleanup(func() { require.NoError(b, running.Stop()) })
	number, err := running.Passwords.MakeEscrowKey(ctx, uow.Console("bench"), protocol.UseEscrow, escrowFile)
	require.NoError(b, err)
	ring, err := escrow.ReadRing(escrowFile)
	require.NoError(b, err)
	require.NoError(b, running.Passwords.ProveByCopy(ctx, uow.Console("bench"), number, ring))
	require.NoError(b, running.Passwords.ReloadKeys(ctx))
	require.NoError(
		b,
		change(b, url, fmt.Sprintf(`insert into enrolment_tokens values ('t', '', '', 1, '[]', '', now(), now());
		insert into devices (id, name, name_key, serial, model, platform, os_version, os_build, state, public_key,
		key_id,
		token_id, enrolled_at)
		select 'd' || i, 'SKL-BIG-' || i, 'skl-big-' || i, '', 'Box', 'windows', '10', 1, 'live', decode(lpad(to_hex(i),
		64,
		'0'), 'hex'), 'k' || i, 't', now() from generate_series(0, %d) i;
		create table bare (device text, number bigint, about text, sealed bytea, primary key (device,
		number)); alter table
		bare alter column sealed set storage external`, depositors)),
	)
	pool, err := pgxpool.New(ctx, fmt.Sprintf(
		"%s%spool_max_conns=%d",
		url,
		map[bool]string{true: "&", false: "?"}[strings.Contains(url, "?")],
		bareConnections,
	))
	require.NoError(b, err)
	b.Cleanup(pool.Close)

	public := ring.Keys[0].Public()
	key, err := protocol.NewKey()
	require.NoError(b, err)
	first := int64(1)
	for b.Loop() {
		deposits, documents := make([][]protocol.Deposit, depositors), make([][]string, depositors)
		for i := range deposits {
			for n := range int64(depositEach) {
				d := protocol.Deposit{
					Epoch:      1,
					Number:     first + n,
					Target:     principal.FromKey("mooring"),
					Account:    principal.MustSID("S-1-5-21-7-8-9-1001"),
					NameBefore: "mooring",
					NameAfter:  "mooring",
					Reason:     rotation.Age,
				}
				bytes, err := escrow.Seal(
					public,
					escrow.Of("Skerry Line", fmt.Sprintf("d%d", i), d, 1),
					"a password of that length",
				)
				require.NoError(b, err)
				d.Sealed = []protocol.SealedCopy{{Key: 1, Bytes: bytes}}
				deposits[i] = append(deposits[i], d)
				document, err := protocol.Sign(
					key,
					protocol.Header{KeyID: key.ID, URL: protocol.PathDeposit, Time: time.Now()},
					d,
					false,
				)
				require.NoError(b, err)
				documents[i] = append(documents[i], document)
			}
		}
		taken := rate(depositors, depositEach, func(i, n int) error {
			var d protocol.Deposit
			if _, err := protocol.Open(documents[i][n], key.Public(), &d); err != nil {
				return err
			}
			_, err := running.Passwords.TakeDeposit(ctx, fmt.Sprintf("d%d", i), d)
			return err
		})
		bare := rate(depositors, depositEach, func(i, n int) error {
			d := deposits[i][n]
			signed, signature := documents[i][n], [ed25519.SignatureSize]byte{}
			cut := strings.LastIndexByte(signed, '.')
			if _, err := base64.RawURLEncoding.Decode(signature[:], []byte(signed[cut+1:])); err != nil {
				return err
			}
			if !ed25519.Verify(key.Public(), []byte(signed[:cut]), signature[:]) {
				return protocol.ErrSignature
			}
			about := escrow.Of("Skerry Line", fmt.Sprintf("d%d", i), d, 1)
			if _, err := ring.Open(about, d.Sealed[0].Bytes); err != nil {
				return err
			}
			_, err := pool.Exec(
				ctx,
				"insert into bare values ($1, $2, $3, $4)",
				fmt.Sprintf("d%d", i),
				d.Number,
				d.Digest(),
				d.Sealed[0].Bytes,
			)
			return err
		})
		batched := inBatches(depositors*depositEach, func(from, to int) error {
			var devices, digests []string
			var numbers []int64
			var sealed [][]byte
			for at := from; at < to; at++ {
				i, n := at%depositors, at/depositors
				var d protocol.Deposit
				if _, err := protocol.Open(documents[i][n], key.Public(), &d); err != nil {
					return err
				}
				if _, err := ring.Open(escrow.Of("Skerry Line", fmt.Sprintf("d%d", i), d, 1),
					d.Sealed[0].Bytes); err != nil {
					return err
				}
				devices, numbers = append(devices, fmt.Sprintf("b%d", i)), append(numbers, d.Number)
				digests, sealed = append(digests, d.Digest()), append(sealed, d.Sealed[0].Bytes)
			}
			_, err := pool.Exec(ctx, "insert into bare select * from unnest($1::text[], $2::bigint[], $3::text[], "+
				"$4::bytea[])",
				devices, numbers, digests, sealed)
			return err
		})
		first += depositEach
		require.NoError(b, batched.err)
		b.ReportMetric(batched.perSecond, "batched/s")
		b.ReportMetric(taken.perSecond/batched.perSecond, "of-batched")
		require.NoError(b, taken.err)
		require.NoError(b, bare.err)
		b.ReportMetric(taken.perSecond, "deposits/s")
		b.ReportMetric(0, "ns/op")
		b.ReportMetric(bare.perSecond, "bare/s")
		b.ReportMetric(taken.perSecond/bare.perSecond, "of-bare")
	}
}

type measured struct {
	perSecond float64
	err       error
}

// rate has so many devices do something at once, as often as each is to.
func rate(devices, each int, do func(i, n int) error) measured {
	var m measured
	var once sync.Once
	var all sync.WaitGroup
	began := time.Now()
	for i := range devices {
		all.Go(func() {
			for n := range each {
				if err := do(i, n); err != nil {
					once.Do(func() { m.err = err })
				}
			}
		})
	}
	all.Wait()
	m.perSecond = float64(devices*each) / time.Since(began).Seconds()
	return m
}
