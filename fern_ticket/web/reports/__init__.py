"""The check report of a delivery, and the delivery as one archive."""
