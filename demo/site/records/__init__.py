"""What the site keeps, and what it accepts: the source of its OpenAPI document."""
