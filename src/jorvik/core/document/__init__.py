"""What is kept: patches, performances, voice settings and destinations, with their checks."""
