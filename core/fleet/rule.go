package fleet

import (
	"errors"
	"fmt"
	"reflect"
	"slices"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/cost"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"

	"rankwarden.example/core/assign"
)

// MaxRule is the longest rule in bytes.
const MaxRule = 4 << 10

// What one evaluation may cost, in units of CEL's cost model (one is some 50 ns), as estimated when the rule is read,
// for facts of maxText characters and maxTags tags. MaxPrice is for a rule that is new; maxCost bounds those that were
// saved before there was a price.
const (
	MaxPrice = 10_000
	maxCost  = 100_000
	maxText  = 256
	maxTags  = 64
)

// Rule is an expression of the Common Expression Language over one variable, device. It holds for
// a device, or not, or gives no answer because it reads a fact that is not known.
type Rule struct {
	program cel.Program
	checked *cel.Ast
	direct  direct // nil where only the language can work it out
	reads   uint16 // facts the expression reads, bits as in factFields
	price   uint64
}

// RuleError is a rule that cannot be used. Line and Column count from 1, in the rule's source.
type RuleError struct {
	Line, Column int
	Message      string
}

func (e *RuleError) Error() string {
	return fmt.Sprintf("line %d, column %d: %s", e.Line, e.Column, e.Message)
}

var ruleEnvironment = mustEnvironment()

func mustEnvironment() *cel.Env {
	env, err := cel.NewEnv(
		cel.Variable("device", cel.ObjectType(deviceType)),
		cel.CustomTypeProvider(factTypes{types.NewEmptyRegistry()}),
		cel.ParserExpressionSizeLimit(MaxRule),
	)
	if err != nil {
		panic(err) // a constant of this package is wrong
	}
	return env
}

// ParseRule reads and type-checks a rule. Errors are *RuleError.
func ParseRule(source string) (*Rule, error) {
	if len(source) > MaxRule {
		return nil, &RuleError{1, 1, fmt.Sprintf("the rule has %d bytes; at most %d are read", len(source), MaxRule)}
	}
	checked, issues := ruleEnvironment.Compile(source)
	if issues.Err() != nil {
		first := issues.Errors()[0]
		return nil, &RuleError{max(first.Location.Line(), 1), first.Location.Column() + 1, first.Message}
	}
	if !checked.OutputType().IsExactType(cel.BoolType) {
		return nil, &RuleError{
			1,
			1,
			fmt.Sprintf(
				"the rule gives %s; it must be true or false, such as device.os_build >= 22621",
				checked.OutputType(),
			),
		}
	}
	estimate, err := ruleEnvironment.EstimateCost(checked, factSizes{})
	if err != nil || estimate.Max > maxCost {
		return nil, errDear
	}
	program, err := ruleEnvironment.Program(checked, cel.EvalOptions(cel.OptOptimize))
	if err != nil {
		return nil, &RuleError{1, 1, err.Error()}
	}
	expr := checked.NativeRep().Expr()
	return &Rule{program, checked, directOf(expr), readBy(expr), estimate.Max}, nil
}

var errDear = &RuleError{1, 1, "the rule would take too long to work out; nest fewer lists in each other"}

// Affordable refuses a rule that costs too much to be new. The error is a *RuleError.
func (r *Rule) Affordable() error {
	if r.price > MaxPrice {
		return errDear
	}
	return nil
}

// CountedRule is a rule that counts what it costs, which makes it slower.
type CountedRule struct{ program cel.Program }

// Counted is the rule as one that counts.
func (r *Rule) Counted() (CountedRule, error) {
	program, err := ruleEnvironment.Program(r.checked, cel.EvalOptions(cel.OptOptimize, cel.OptTrackCost))
	return CountedRule{program}, err
}

// Holds says whether the rule holds for a device, as [Rule.Holds] does, and what working it out cost.
func (r CountedRule) Holds(facts *Facts) (assign.Truth, uint64) {
	out, details, err := r.program.Eval(&factObject{facts})
	cost := uint64(1)
	if details != nil && details.ActualCost() != nil {
		cost += *details.ActualCost()
	}
	return truthOf(out, err), cost
}

// Reads are the names of the facts that the rule reads.
func (r *Rule) Reads() []string {
	var names []string
	for i, name := range factFields {
		if r.reads>>i&1 == 1 {
			names = append(names, name)
		}
	}
	return names
}

// Holds says whether the rule holds for a device. It is Unknown when the rule reads a fact that is
// not known, or cannot be worked out for another reason.
func (r *Rule) Holds(facts *Facts) assign.Truth {
	if r.direct != nil {
		return r.direct(facts)
	}
	return r.holds(&factObject{facts})
}

func (r *Rule) holds(object *factObject) assign.Truth {
	out, _, err := r.program.Eval(object)
	return truthOf(out, err)
}

// truthOf reads what an evaluation gave.
func truthOf(out ref.Val, err error) assign.Truth {
	switch {
	case err != nil:
		return assign.Unknown
	case out == types.True:
		return assign.Yes
	case out == types.False:
		return assign.No
	}
	return assign.Unknown
}

// readBy gathers the facts that an expression selects from device. A rule that hands the whole
// device on reads all of them.
func readBy(expr ast.Expr) uint16 {
	var reads uint16
	selected := 0
	whole := 0
	ast.PostOrderVisit(expr, ast.NewExprVisitor(func(e ast.Expr) {
		switch e.Kind() {
		case ast.SelectKind:
			s := e.AsSelect()
			if s.Operand().Kind() == ast.IdentKind && s.Operand().AsIdent() == "device" {
				reads |= 1 << slices.Index(factFields, s.FieldName())
				selected++
			}
		case ast.IdentKind:
			if e.AsIdent() == "device" {
				whole++
			}
		}
	}))
	if whole > selected {
		return 1<<len(factFields) - 1
	}
	return reads
}

const deviceType = "rankwarden.Device"

// factTypes tells the type checker the facts of a device, and reads them.
type factTypes struct{ *types.Registry }

func (p factTypes) FindStructType(name string) (*types.Type, bool) {
	if name == deviceType {
		return types.NewTypeTypeWithParam(types.NewObjectType(deviceType)), true
	}
	return p.Registry.FindStructType(name)
}

func (p factTypes) FindStructFieldNames(name string) ([]string, bool) {
	if name == deviceType {
		return factFields, true
	}
	return p.Registry.FindStructFieldNames(name)
}

func (p factTypes) FindStructFieldType(name, field string) (*types.FieldType, bool) {
	if name != deviceType {
		return p.Registry.FindStructFieldType(name, field)
	}
	kind := types.StringType
	switch field {
	case "os_build":
		kind = types.IntType
	case "tags", "user_groups":
		kind = types.NewListType(types.StringType)
	}
	if !slices.Contains(factFields, field) {
		return nil, false
	}
	return &types.FieldType{
		Type:    kind,
		IsSet:   func(target any) bool { _, err := target.(*Facts).get(field); return err == nil },
		GetFrom: func(target any) (any, error) { return target.(*Facts).get(field) },
	}, true
}

// errUnknownFact makes a rule that reads the fact give no answer.
var errUnknownFact = errors.New("the fact is not known of this device")

func (f *Facts) get(field string) (ref.Val, error) {
	switch field {
	case "tags":
		return types.NewStringList(types.DefaultTypeAdapter, f.Tags), nil
	case "user_groups":
		return types.NewStringList(types.DefaultTypeAdapter, f.UserGroups), nil
	case "os_build":
		if f.OSBuild == 0 {
			return nil, errUnknownFact
		}
		return types.Int(f.OSBuild), nil
	}
	value, known := textFact(field)(f)
	if !known {
		return nil, errUnknownFact
	}
	return types.String(value), nil
}

// factSizes tells the estimate of cost how large facts can be.
type factSizes struct{}

func (factSizes) EstimateSize(element cost.AstNode) *cost.SizeEstimate {
	if element.Type().IsExactType(cel.ListType(cel.StringType)) {
		return &cost.SizeEstimate{Max: maxTags}
	}
	return &cost.SizeEstimate{Max: maxText}
}

func (factSizes) EstimateCallCost(string, string, *cost.AstNode, []cost.AstNode) *cost.CallEstimate {
	return nil
}

// factObject is a device as the expression language sees it, and all that a rule can name.
type factObject struct{ facts *Facts }

// ResolveName gives the one variable of rules.
func (o *factObject) ResolveName(name string) (any, bool) { return o, name == "device" }

// Parent is nil: there are no other names.
func (o *factObject) Parent() cel.Activation { return nil }

var factObjectType = types.NewObjectType(deviceType)

func (o *factObject) ConvertToNative(to reflect.Type) (any, error) {
	return nil, fmt.Errorf("a device is no %v", to)
}

func (o *factObject) ConvertToType(ref.Type) ref.Val {
	return types.NewErr("a device is no other type")
}

func (o *factObject) Equal(other ref.Val) ref.Val { return types.Bool(o == other) }

func (o *factObject) Type() ref.Type { return factObjectType }

func (o *factObject) Value() any { return o.facts }
