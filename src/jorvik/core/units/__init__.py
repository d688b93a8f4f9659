"""Values as typed and shown, tempo, pitch and scales."""
