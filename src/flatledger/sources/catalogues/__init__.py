"""Records of catalogues: MARC 21 in its binary form and in XML."""
