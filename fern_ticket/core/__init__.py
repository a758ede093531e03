"""The computation: arrays in, arrays out. No web, no database, no files except through `pictures`."""
