"""What Kardo asks of the outside: casters, receivers and services, each as a client that bounds what it takes and how
long it waits.

The stand-ins speak the same, so that a real service takes their place by its address alone."""
