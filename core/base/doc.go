// Package base is the ground that every other room of the core stands on. Its packages know nothing of each other's
// purpose:
//
//	chem     five cell chemistries: limits, and the curve from charge to rest voltage
//	limits   what more than one rule goes by: what may be touched, what may be joined, how far a meter may be off
//	finding  the one shape of a judgement
//	numeral  numbers as people at a bench write them
//	typed    texts as people write them: how long, of which signs
//	station  the stations of the path a module goes along
//
// # The idea
//
// A lithium cell at rest shows a voltage that depends on its charge: high when full, low when empty. That curve is
// nearly all a bench can see without a test of hours. Pandrel reads a voltage as what it is, a number with an
// uncertainty, and so reads a charge as an interval and never as one number.
//
// # The method
//
// For a chemistry the curve is thirteen points of literature-typical values at 25 °C, joined by a cubic that keeps
// every stretch rising. A voltage V known to ± u holds a charge between curve⁻¹(V − u) and curve⁻¹(V + u), cut off at
// empty and full. Where the curve is flat the interval is wide, and where it is wider than a fifth of the whole the
// answer is that voltage cannot tell.
//
// # A worked example
//
// Two groups, each read at rest with a meter good to 5 mV; the charge of a group that was last charged and one that
// was last discharged differ by the hysteresis on top. The example of this package runs it:
//
//   - NMC at 3.80 V lies on a slope of about 9 mV for each per cent. A hundredth of a volt either way is a per cent
//     either way: it holds 59 to 61 %.
//   - LFP at 3.295 V lies on a plateau where 20 % of charge change the voltage by a few millivolts. 15 mV leave
//     everything from 40 to 66 % open.
//
// Nothing is wrong with the second meter. The cell does not say more, and a rule that needs the charge of an LFP group
// must take it at the top or the bottom of the curve, or from a test.
//
// # The limits, and where they come from
//
// Charge limit, floor and temperatures are the chemistries' usual data-sheet values; below 'never recharge' copper of
// the negative electrode may have dissolved and can grow through the separator when the cell is charged, so that limit
// has no way round. 60 V DC, 30 V where it is wet, are the usual limits of what may be touched: above them the
// high-voltage gates apply. All of it is typical, the maker's data and local codes come first, and screens say so.
package base
