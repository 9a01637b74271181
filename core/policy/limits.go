package policy

// maxText is the longest full name or description of an account, in characters.
const maxText = 256
