"""What Trends and Today show, put together from the history. It brings numpy, which the web server
has only where somebody looks at this."""
