"""Alerts, schedules and watched rules: what is looked at whenever the moment moves."""
