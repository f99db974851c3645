"""What a sheet shows, packed for the browser, and as a figure on paper."""
