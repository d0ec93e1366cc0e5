"""The shipped font family, with its open licence beside it."""
