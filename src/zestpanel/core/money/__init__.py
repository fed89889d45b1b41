"""Plans into money: exact decimals, a currency on every amount, rounding only on display."""
