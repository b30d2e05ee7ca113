"""The scenario of Tern Sound Ferries: declarations and data to try things on. All names are made up."""
