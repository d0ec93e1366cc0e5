"""The demo shop, Tolmere Tankworks: sample jobs and a sample register. Every customer and figure is made up."""
