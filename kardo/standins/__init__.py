"""Stand-ins for what is outside in earnest: small simulated services on loopback, which speak as the real ones do and
can be told to be wrong."""
