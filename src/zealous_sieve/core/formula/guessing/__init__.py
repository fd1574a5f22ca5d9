"""What a text that cannot be read was probably meant to say."""
