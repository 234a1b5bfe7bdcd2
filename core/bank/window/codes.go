package window

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeAhOpen           = "amp-hours-open"
	codeChemistryOpen    = "chemistry-open"
	codeDeviceOpen       = "device-open"
	codeBMSFirst         = "bms-first"
	codeBottomUnused     = "bottom-unused"
	codeCellsFirst       = "cells-first"
	codeChargeCut        = "charge-cut"
	codeClaimKept        = "claim-kept"
	codeCurrentHigh      = "current-high"
	codeCurrentTooHigh   = "current-too-high"
	codeDeviceMaxUnknown = "device-max-unknown"
	codeDeviceTypical    = "device-typical"
	codeEnergyShort      = "energy-short"
	codeEnergyUnsure     = "energy-unsure"
	codeFullAboveDevice  = "full-above-device"
	codeLoadUnknown      = "load-unknown"
	codeNoTopBalance     = "no-top-balance"
	codeTooManyGroups    = "too-many-groups"
	codeTopUnused        = "top-unused"
	codeTypesInSeries    = "types-in-series"
	codeWillNotStart     = "will-not-start"
	codeWindowSmall      = "window-small"
)
