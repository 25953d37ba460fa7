// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

/// Special members of a type with many parts. They are the compiler's own, but their bodies stand once, in a .cpp, and
/// not in each file that copies the type. Such a type is no aggregate: all its plain members need initial values.
#define COOPERAGE_SPECIAL_MEMBERS(T) \
  T();                               \
  T(const T&);                       \
  T(T&&) noexcept;                   \
  T& operator=(const T&);            \
  T& operator=(T&&) noexcept;        \
  ~T()
/// Their bodies; SCOPE is the namespace or the class that holds the type.
#define COOPERAGE_DEFINE_SPECIAL_MEMBERS(SCOPE, T)       \
  SCOPE::T::T() = default;                               \
  SCOPE::T::T(const T&) = default;                       \
  SCOPE::T::T(T&&) noexcept = default;                   \
  SCOPE::T& SCOPE::T::operator=(const T&) = default;     \
  SCOPE::T& SCOPE::T::operator=(T&&) noexcept = default; \
  SCOPE::T::~T() = default
