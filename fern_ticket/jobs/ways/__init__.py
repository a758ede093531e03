"""Ways out, a module for each kind: how a file is given, and how its receiver answers."""
