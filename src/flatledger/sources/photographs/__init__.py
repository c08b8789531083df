"""Pictures, and what is known of them: Exif, IPTC, XMP."""
