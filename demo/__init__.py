"""The demo: Lantern Isles Ferries, a made-up ferry line."""
