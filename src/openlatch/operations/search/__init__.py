"""Operations: finding anything."""
