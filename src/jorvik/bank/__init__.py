"""Work over a whole bank: planned, cut into pieces, done on many processes, kept as it comes, told in one table."""
