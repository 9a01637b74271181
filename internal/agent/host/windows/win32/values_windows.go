package win32

// Values of the headers, under their names there.
const (
	userPrivUser         = 1          // USER_PRIV_USER
	filterNormalAccount  = 2          // FILTER_NORMAL_ACCOUNT
	maxPreferredLength   = 0xffffffff // MAX_PREFERRED_LENGTH
	logonInteractive     = 2          // LOGON32_LOGON_INTERACTIVE
	logonNetwork         = 3          // LOGON32_LOGON_NETWORK
	logonProviderDefault = 0          // LOGON32_PROVIDER_DEFAULT
	logonWithProfile     = 1          // LOGON_WITH_PROFILE
	wtsUserName          = 5          // WTSUserName
	wtsDomainName        = 7          // WTSDomainName
	messageInformation   = 0x40       // MB_ICONINFORMATION
	evtQueryChannelPath  = 1          // EvtQueryChannelPath
	evtQueryReverse      = 0x200      // EvtQueryReverseDirection
	evtRenderEventXML    = 1          // EvtRenderEventXml
	evtSubscribeToFuture = 1          // EvtSubscribeToFutureEvents
	protectUIForbidden   = 1          // CRYPTPROTECT_UI_FORBIDDEN
	protectLocalMachine  = 4          // CRYPTPROTECT_LOCAL_MACHINE
	domainController     = 2          // VER_NT_DOMAIN_CONTROLLER
	reasonPlanned        = 0x80000000 // SHTDN_REASON_FLAG_PLANNED
	createNoWindow       = 0x08000000 // CREATE_NO_WINDOW
)
