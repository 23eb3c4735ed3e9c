"""What accounts tell whoever wants to know, without knowing who that is."""

from django.dispatch import Signal

# Sent with `user` when an account was made or has signed in: it should find what every account begins with.
welcomed = Signal()
# Sent with `user` when all sessions of an account are ended: what was given out for it ends too.
signed_out_everywhere = Signal()
