package floor

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeBuries      = "covers-what-comes-last"
	codeCovers      = "covers-joined-posts"
	codeClose       = "posts-too-close"
	codeLeadsShort  = "leads-too-short"
	codeHeavy       = "shelf-overloaded"
	codeOffShelf    = "beside-its-shelf"
	codeOverlap     = "pieces-overlap"
	codeSizeAssumed = "size-assumed"
	codeSupply      = "supply-not-fused"
	codeWeightOpen  = "weight-not-known"
)

const rule = "rules §9"
