"""Follow-through: what prices did after a rule's hits."""
