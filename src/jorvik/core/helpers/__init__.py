"""Things that work something out for the programmer: a sentence, a change that keeps the curve, a target."""
