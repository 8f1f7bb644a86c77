"""The other engines: what a page and the application are in Firefox and in WebKit, whose visitors see what they draw."""
