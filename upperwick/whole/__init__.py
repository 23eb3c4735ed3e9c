"""The market as a whole: breadth and precedents."""
