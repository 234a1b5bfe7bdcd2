package kernel

// Page is one page of a long list: which one, counted from 1, and how many rows it and the whole list have.
type Page struct{ No, Size, Total int }

// PageOf returns page no of a list of total rows; one that is not there becomes the nearest that is.
func PageOf(no, size, total int) Page {
	p := Page{no, size, total}
	p.No = max(1, min(no, p.Last()))
	return p
}

// Last is the number of the last page.
func (p Page) Last() int { return max(1, (p.Total+p.Size-1)/p.Size) }

// Offset is how many rows come before the page.
func (p Page) Offset() int { return (p.No - 1) * p.Size }

// From and To are the first and the last row of the page, from 1.
func (p Page) From() int { return min(p.Offset()+1, p.Total) }

// To is the last row of the page.
func (p Page) To() int { return min(p.Offset()+p.Size, p.Total) }

// Prev and Next are the pages beside it, 0 for none.
func (p Page) Prev() int { return p.No - 1 }

// Next is the page after it.
func (p Page) Next() int {
	if p.No >= p.Last() {
		return 0
	}
	return p.No + 1
}
