"""The bench: its socket, the frames it sends, the slip it measures, and slow repairs made in the background."""
