"""The computation: no Django, no files, no network, no clock."""
