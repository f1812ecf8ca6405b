"""Several imports to one site: what was dropped for them, their order, and all of them taken further together."""
