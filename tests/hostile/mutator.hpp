#pragma once

#include <array>
#include <random>
#include <string>
#include <string_view>
#include <vector>

namespace ulterix::testing {

/// Damages text in the ways that hands, editors and disks do; the same seed damages it alike.
class Mutator {
 public:
  explicit Mutator(unsigned seed) : random_(seed) {}

  std::string damaged(std::string text) {
    const std::size_t times = 1 + below(4);
    for (std::size_t i = 0; i < times; ++i) damage(text);
    return text;
  }

  std::size_t below(std::size_t count) {
    return count == 0 ? 0 : static_cast<std::size_t>(random_() % count);
  }
  template <class Item>
  const Item& one_of(const std::vector<Item>& items) {
    return items[below(items.size())];
  }

 private:
  static constexpr std::array<std::string_view, 36> kTokens = {"=",
                                                               "[",
                                                               "]",
                                                               "{",
                                                               "}",
                                                               ",",
                                                               "\"",
                                                               ".",
                                                               "#",
                                                               "\n",
                                                               "\n[",
                                                               "''",
                                                               "\"\"\"",
                                                               "1e308",
                                                               "-1e308",
                                                               "1e-308",
                                                               "0",
                                                               "-1",
                                                               "nan",
                                                               "inf",
                                                               "99999999999999999999",
                                                               "true",
                                                               "\"kN\"",
                                                               "\"5 mm\"",
                                                               "\"1e9 m\"",
                                                               "\"*\"",
                                                               "\"A*\"",
                                                               "\"CA.1.My@max\"",
                                                               "\x1b[",
                                                               "\xff",
                                                               "\xef\xbf\xbe",
                                                               "a.b.c",
                                                               "[[a]]",
                                                               "{ a = 1 }",
                                                               "[analyses.x]",
                                                               "\\u0000"};

  void damage(std::string& text) {
    const std::size_t at = below(text.size() + 1);
    switch (below(8)) {
      case 0:
        text.insert(at, kTokens[below(kTokens.size())]);
        break;
      case 1:
        text.erase(at, 1 + below(12));
        break;
      case 2:
        if (at < text.size()) text[at] = static_cast<char>(below(256));
        break;
      case 3:
        text.insert(at, text.substr(below(text.size() + 1), below(80)));
        break;
      case 4:
        text.resize(at);
        break;
      case 5:
        replace_word(text, at);
        break;
      case 6:
        swap_lines(text);
        break;
      default:
        replace_number(text, at);
        break;
    }
  }

  void replace_from_to(std::string& text, std::size_t first, std::string_view of) {
    if (first == std::string::npos) return;
    const std::size_t end = std::min(text.find_first_not_of(of, first), text.size());
    text.replace(first, end - first, kTokens[below(kTokens.size())]);
  }
  void replace_word(std::string& text, std::size_t at) {
    constexpr std::string_view kLetters = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ_-";
    replace_from_to(text, text.find_first_of(kLetters, at), kLetters);
  }
  void replace_number(std::string& text, std::size_t at) {
    constexpr std::string_view kDigits = "0123456789.";
    replace_from_to(text, text.find_first_of(kDigits, at), kDigits);
  }

  void swap_lines(std::string& text) {
    const std::size_t a = text.find('\n', below(text.size() + 1));
    if (a == std::string::npos) return;
    const std::size_t b = text.find('\n', a + 1);
    if (b == std::string::npos) return;
    const std::string line = text.substr(a + 1, b - a);
    text.erase(a + 1, b - a);
    text.insert(below(text.size() + 1), line);
  }

  std::mt19937 random_;
};

}  // namespace ulterix::testing
