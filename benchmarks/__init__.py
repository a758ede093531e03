"""Speed, measured against a reference of the same run. `./fern bench [NAME]` prints one JSON line a figure."""
