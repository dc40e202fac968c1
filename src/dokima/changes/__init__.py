"""Changes of orders: variance between two priced orders."""
