// Package api has the requests and answers of the operators' API as Go types: what the service sends is what the
// client reads. The OpenAPI document is made of them, so a field is described where it is declared.
package api
