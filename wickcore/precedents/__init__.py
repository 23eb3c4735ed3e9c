"""How sessions went that began like this one."""
