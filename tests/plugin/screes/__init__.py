"""Two nodes for Gelande, as the guide for packages of one's own shows them."""
