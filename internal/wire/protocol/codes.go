package protocol

// Codes by which a device tells refusals of the service apart. What it does about each is its own matter; the sentence
// that comes with a code is for people.
const (
	CodeBadDocument     = "bad_document"      // the request cannot be read
	CodeBadFacts        = "bad_facts"         // what the device says of itself cannot be used
	CodeBadReport       = "bad_report"        // the report cannot be used, and never will
	CodeBadEvents       = "bad_events"        // one of the events cannot be used
	CodeBadResults      = "bad_results"       // one of the results of orders cannot be used
	CodeReportOfAnother = "report_of_another" // the report names another device
	CodeTooLarge        = "too_large"         // the request has too many bytes
	CodeBadDeposit      = "bad_deposit"       // the deposit does not hold what it says
	CodeSequenceUsed    = "sequence_used"     // the sequence was used for another report
	CodeSequenceBehind  = "sequence_behind"   // a number was used before: begin a new epoch
	CodeDepositUnknown  = "deposit_unknown"   // what is confirmed was never given
	CodeKeyRetired      = "key_retired"       // sealed to a key that is no longer live: read the key list
	CodeKeyMissing      = "key_missing"       // this replica does not hold the key
	CodeTokenUnknown    = "token_unknown"     // of enrolment, as the four after it
	CodeTokenRevoked    = "token_revoked"
	CodeTokenExpired    = "token_expired"
	CodeTokenUsedUp     = "token_used_up"
	CodeTryAgain        = "try_again"
	CodeNotLive         = "device_"          // followed by the state of the device, such as device_retired
	CodeNotSigned       = "not_signed"       // no signed document
	CodeBadSignature    = "bad_signature"    // another key signed it, or it was changed on its way
	CodeWrongURL        = "wrong_url"        // it was signed for another address
	CodeWrongTime       = "wrong_time"       // the clock of the device is too far off
	CodeNoKey           = "no_key"           // an enrolment without the device's key
	CodeDeviceUnknown   = "device_unknown"   // enrol again
	CodeSequenceDiffers = "sequence_differs" // header and report name different numbers
)
