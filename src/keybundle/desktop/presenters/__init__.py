"""One presenter per screen: frozen state, verbs, one signal."""
