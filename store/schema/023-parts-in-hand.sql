-- Parts that a workshop has in hand, by what they are: bars and cables by their length, as the list of a plan names
-- them.
CREATE TABLE hand_parts (
    key TEXT PRIMARY KEY,
    count INTEGER NOT NULL,
    said_by TEXT NOT NULL,
    said_at DATETIME NOT NULL
);
