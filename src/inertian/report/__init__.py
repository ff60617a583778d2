"""Results for readers: JSON now; pages, figures and spreadsheets later."""
