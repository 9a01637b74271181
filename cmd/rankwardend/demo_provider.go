package main

import (
	"errors"
	"net"
	"net/http"
	"strconv"
	"time"

	"rankwarden.example/core/rights"
	"rankwarden.example/demo"
	standin "rankwarden.example/demo/provider"
	"rankwarden.example/internal/wire/oidc"
)

// demoPeople may sign in with the stand-in for an identity provider.
var demoPeople = []standin.Person{
	{Subject: "asta", Name: "asta.holm@skerryline.example", Groups: []string{"endpoint-owners"}},
	{Subject: "runa", Name: "runa.breck@skerryline.example", Groups: []string{"desk-support"}},
	{Subject: "tormod", Name: "tormod.skye@skerryline.example", Groups: []string{"auditors"}},
	{Subject: "gudrun", Name: "gudrun.ness@skerryline.example", Groups: []string{"galley"}},
}

// demoRoles are what their groups may do.
var demoRoles = []oidc.Mapping{
	{Group: "endpoint-owners", Grant: rights.Grant{Role: rights.Owner}},
	{Group: "endpoint-owners", Grant: rights.Grant{Role: rights.Support}},
	{Group: "desk-support", Grant: rights.Grant{Role: rights.Support, Groups: []string{"ticket-desks"}}},
	{Group: "auditors", Grant: rights.Grant{Role: rights.Auditor}},
}

// standInProvider starts the stand-in beside the console, one port further. It is one of the demo's own, on loopback.
func standInProvider(listen string) (o *oidc.Options, stop func() error, err error) {
	host, port, err := net.SplitHostPort(listen)
	if err != nil {
		return nil, nil, err
	}
	next := 0
	if n, err := strconv.Atoi(port); err == nil && n > 0 {
		next = n + 1
	}
	l, err := net.Listen("tcp", net.JoinHostPort(host, strconv.Itoa(next)))
	if err != nil { // somebody else has it; another one does, until the next start
		l, err = net.Listen("tcp", net.JoinHostPort(host, "0"))
	}
	if err != nil {
		return nil, nil, err
	}
	issuer := "http://" + l.Addr().String()
	p, err := standin.New(issuer, "rankwarden", demoPeople...)
	if err != nil {
		return nil, nil, errors.Join(err, l.Close())
	}
	web := &http.Server{Handler: p, ReadHeaderTimeout: time.Minute}
	go func() { _ = web.Serve(l) }() // it ends when it is closed
	return &oidc.Options{Name: demo.Organisation, Issuer: issuer, ClientID: "rankwarden", Roles: demoRoles}, web.Close,
		nil
}
