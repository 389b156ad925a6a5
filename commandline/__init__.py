"""`./attic vault …`: the vault by itself, without database and web. Joins the core with its adapters; decides nothing."""
