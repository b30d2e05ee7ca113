"""Who may use an endpoint: schemes that say who asks, and what an endpoint wants of them."""
