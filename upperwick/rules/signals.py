"""What rules tell whoever wants to know, without knowing who that is."""

from django.dispatch import Signal

# Sent with `owner`, `was` and `name` when a rule got another name: what names it by the former one is to name it by the new.
renamed = Signal()
breadth_renamed = Signal()  # the same of a breadth
