"""Moving house: a ticket as one open archive, and a whole installation as one backup."""
