"""`python -m inertian` is the same as `inertian`."""

from inertian.main import run

if __name__ == "__main__":
    run()
