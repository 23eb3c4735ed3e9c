"""Chart patterns: objects found from confirmed turning points only, so that they appear when a person could know them, and never repaint."""
