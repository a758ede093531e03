"""Areas: steps of light that count where a cover lies."""
