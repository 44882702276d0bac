"""The rules that flag what is stale or risky: their language, what it can speak of, and two ways to evaluate them."""
