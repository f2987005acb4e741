"""Whether the variants of a study were measured alike: what else differs, and what it may mean."""
