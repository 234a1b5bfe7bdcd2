package kernel

// The codes of findings that more than one room of the shop says.
const (
	CodeQuarantined  = "quarantined"
	CodeNoWithdrawal = "no-withdrawal"
)
