"""The interface for programs: /api/v1, typed, versioned, with tokens."""
