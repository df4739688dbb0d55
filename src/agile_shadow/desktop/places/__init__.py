"""The places on the rail."""
