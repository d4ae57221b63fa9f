"""Heavy work in processes of its own, so that it never keeps a request waiting."""
