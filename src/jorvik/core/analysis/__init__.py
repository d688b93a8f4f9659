"""What looks at sound over many runs, or at a recording: useful ranges, and matching."""
