"""One trade planned and held: levels, size, paper orders, holdings, the watch over them."""
