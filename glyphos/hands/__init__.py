"""Work in processes of their own."""
