"""The ledger: steps, their masks and their order. One schema for web, store and command line."""
