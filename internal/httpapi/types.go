package httpapi

import "rankwarden.example/client"

// The types of requests and answers are published with the client.
type (
	Me                = client.Me
	Operator          = client.Operator
	Token             = client.Token
	NewToken          = client.NewToken
	Standings         = client.Standings
	PolicySummary     = client.PolicySummary
	Policy            = client.Policy
	Published         = client.Published
	Revision          = client.Revision
	Group             = client.Group
	GroupSummary      = client.GroupSummary
	GroupMember       = client.GroupMember
	AssignmentView    = client.Assignment
	Aim               = client.Aim
	EnrolmentToken    = client.EnrolmentToken
	NewEnrolmentToken = client.NewEnrolmentToken
	Device            = client.Device
	UnitWhy           = client.UnitWhy
	Loser             = client.Loser
	UnitFinding       = client.UnitFinding
	Account           = client.Account
	LocalGroup        = client.LocalGroup
	DeviceWhy         = client.DeviceWhy
	DeviceAim         = client.DeviceAim
	DeviceProblem     = client.DeviceProblem
	FindingSummary    = client.Finding
	FindingSum        = client.FindingSum
	Mark              = client.Mark
	Strip             = client.Strip
	Decision          = client.Decision
	Edit              = client.Edit
	Overview          = client.Overview
	HeldSetting       = client.HeldSetting
	LockedAccount     = client.LockedAccount
	Change            = client.Change
	Document          = client.Document
	UnitTrial         = client.UnitTrial
	Order             = client.Order
	OrderProgress     = client.OrderProgress
	Role              = client.Role
	Password          = client.Password
	DepositRef        = client.DepositRef
	Deposit           = client.Deposit
	DevicePassword    = client.DevicePassword
	RevealSpec        = client.RevealSpec
	Candidate         = client.Candidate
	Revealed          = client.Revealed
	Reveal            = client.Reveal
	Approval          = client.Approval
	EscrowKey         = client.EscrowKey
	NewOrder          = client.NewOrder
	DeviceEvent       = client.Event
	EventDetails      = client.EventDetails
	PolicyCheck       = client.PolicyCheck
	RuleTrial         = client.RuleTrial
	DirectoryEntry    = client.DirectoryEntry
	DirectoryChange   = client.DirectoryChange
	DirectorySkipped  = client.DirectorySkipped
	DirectoryState    = client.DirectoryState
	Facts             = client.Facts
)
