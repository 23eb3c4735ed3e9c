"""Follow-through studies asked for by the interface."""
