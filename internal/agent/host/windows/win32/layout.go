package win32

// Structures as the headers lay them out for machines of 64 bits; the names of their fields there are the tags. Their
// first line names the header and the structure.

// lmaccess.h: USER_INFO_0
type userInfo0 struct {
	Name *uint16 `c:"usri0_name"`
}

// lmaccess.h: USER_INFO_1
type userInfo1 struct {
	Name        *uint16 `c:"usri1_name"`
	Password    *uint16 `c:"usri1_password"`
	PasswordAge uint32  `c:"usri1_password_age"` // seconds
	Priv        uint32  `c:"usri1_priv"`
	HomeDir     *uint16 `c:"usri1_home_dir"`
	Comment     *uint16 `c:"usri1_comment"`
	Flags       uint32  `c:"usri1_flags"`
	ScriptPath  *uint16 `c:"usri1_script_path"`
}

// lmaccess.h: USER_INFO_3
type userInfo3 struct {
	Name            *uint16 `c:"usri3_name"`
	Password        *uint16 `c:"usri3_password"` // never told
	PasswordAge     uint32  `c:"usri3_password_age"`
	Priv            uint32  `c:"usri3_priv"`
	HomeDir         *uint16 `c:"usri3_home_dir"`
	Comment         *uint16 `c:"usri3_comment"`
	Flags           uint32  `c:"usri3_flags"`
	ScriptPath      *uint16 `c:"usri3_script_path"`
	AuthFlags       uint32  `c:"usri3_auth_flags"`
	FullName        *uint16 `c:"usri3_full_name"`
	UserComment     *uint16 `c:"usri3_usr_comment"`
	Parms           *uint16 `c:"usri3_parms"`
	Workstations    *uint16 `c:"usri3_workstations"`
	LastLogon       uint32  `c:"usri3_last_logon"`
	LastLogoff      uint32  `c:"usri3_last_logoff"`
	AcctExpires     uint32  `c:"usri3_acct_expires"`
	MaxStorage      uint32  `c:"usri3_max_storage"`
	UnitsPerWeek    uint32  `c:"usri3_units_per_week"`
	LogonHours      *byte   `c:"usri3_logon_hours"`
	BadPwCount      uint32  `c:"usri3_bad_pw_count"`
	NumLogons       uint32  `c:"usri3_num_logons"`
	LogonServer     *uint16 `c:"usri3_logon_server"`
	CountryCode     uint32  `c:"usri3_country_code"`
	CodePage        uint32  `c:"usri3_code_page"`
	UserID          uint32  `c:"usri3_user_id"`
	PrimaryGroupID  uint32  `c:"usri3_primary_group_id"`
	Profile         *uint16 `c:"usri3_profile"`
	HomeDirDrive    *uint16 `c:"usri3_home_dir_drive"`
	PasswordExpired uint32  `c:"usri3_password_expired"`
}

// lmaccess.h: USER_INFO_1003
type userInfo1003 struct {
	Password *uint16 `c:"usri1003_password"`
}

// lmaccess.h: USER_INFO_1007
type userInfo1007 struct {
	Comment *uint16 `c:"usri1007_comment"`
}

// lmaccess.h: USER_INFO_1008
type userInfo1008 struct {
	Flags uint32 `c:"usri1008_flags"`
}

// lmaccess.h: USER_INFO_1011
type userInfo1011 struct {
	FullName *uint16 `c:"usri1011_full_name"`
}

// lmaccess.h: USER_INFO_1017
type userInfo1017 struct {
	AcctExpires uint32 `c:"usri1017_acct_expires"`
}

// lmaccess.h: USER_MODALS_INFO_0
type userModalsInfo0 struct {
	MinPasswdLen    uint32 `c:"usrmod0_min_passwd_len"`
	MaxPasswdAge    uint32 `c:"usrmod0_max_passwd_age"` // seconds
	MinPasswdAge    uint32 `c:"usrmod0_min_passwd_age"` // seconds
	ForceLogoff     uint32 `c:"usrmod0_force_logoff"`
	PasswordHistLen uint32 `c:"usrmod0_password_hist_len"`
}

// lmaccess.h: USER_MODALS_INFO_2
type userModalsInfo2 struct {
	DomainName *uint16 `c:"usrmod2_domain_name"`
	DomainID   *byte   `c:"usrmod2_domain_id"` // SID
}

// lmaccess.h: USER_MODALS_INFO_3
type userModalsInfo3 struct {
	Duration  uint32 `c:"usrmod3_lockout_duration"`           // seconds
	Window    uint32 `c:"usrmod3_lockout_observation_window"` // seconds
	Threshold uint32 `c:"usrmod3_lockout_threshold"`
}

// lmaccess.h: LOCALGROUP_INFO_0
type localGroupInfo0 struct {
	Name *uint16 `c:"lgrpi0_name"`
}

// lmaccess.h: LOCALGROUP_MEMBERS_INFO_0
type localGroupMembersInfo0 struct {
	SID *byte `c:"lgrmi0_sid"`
}

// lmaccess.h: LOCALGROUP_MEMBERS_INFO_2
type localGroupMembersInfo2 struct {
	SID           *byte   `c:"lgrmi2_sid"`
	SIDUsage      uint32  `c:"lgrmi2_sidusage"`
	DomainAndName *uint16 `c:"lgrmi2_domainandname"`
}

// wtsapi32.h: WTS_SESSION_INFOW
type wtsSessionInfo struct {
	SessionID      uint32  `c:"SessionId"`
	WinStationName *uint16 `c:"pWinStationName"`
	State          uint32  `c:"State"`
}

// wtsapi32.h: WTS_PROCESS_INFOW
type wtsProcessInfo struct {
	SessionID   uint32  `c:"SessionId"`
	ProcessID   uint32  `c:"ProcessId"`
	ProcessName *uint16 `c:"pProcessName"`
	UserSID     *byte   `c:"pUserSid"` // nil for the system's own
}

// minwinbase.h: SYSTEMTIME
type systemTime struct {
	Year         uint16 `c:"wYear"`
	Month        uint16 `c:"wMonth"`
	DayOfWeek    uint16 `c:"wDayOfWeek"`
	Day          uint16 `c:"wDay"`
	Hour         uint16 `c:"wHour"`
	Minute       uint16 `c:"wMinute"`
	Second       uint16 `c:"wSecond"`
	Milliseconds uint16 `c:"wMilliseconds"`
}
