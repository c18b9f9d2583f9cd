release-number = выпуск { $number }
release = { $release } набора { $name }, опубликован { $day }
ends-soon = внимание: подписи действуют до { $day }; скажите тому, кто вас пригласил, что выпуск нужно опубликовать заново
unreachable = внимание: { $address } недоступен ({ $reason }); действует то, что там было в прошлый раз
followed-before = внимание: до сих пор эта игра следовала за { $invite }
nothing-yet = внимание: в этой папке ещё нет ничего от { $game }
looks-after = внимание: в вашей игре речь только о модах в { $folders }
looks-after-more = внимание: в вашей игре речь только о модах в { $folders } и о том, что к ним относится в { $others }
own-folder = собственная папка игры
other-version = внимание: { $what }: здесь { $here }, на сервере { $there }. Пока это не совпадёт, войти не получится, какие бы моды ни стояли
what-game = игра
what-loader = загрузчик модов
what-runtime = то, на чём работает игра
root-beyond = внимание: среди них собственная папка игры, где лежат её программы, а не только папки модов
programs-beyond = внимание: вне папок модов появится или изменится { $programs }:
programs = { $count ->
    [one] { $count } программа или скрипт
    [few] { $count } программы или скрипта
   *[other] { $count } программ или скриптов
}
beyond-later = внимание: об этом будет отдельный вопрос; без терминала нужно --beyond-mods
beyond-nobody = ничего не сделано, потому что некого было спросить; если вы настолько доверяете тому, кто вас пригласил, добавьте --beyond-mods
interrupted = прошлый раз прервался после { $done } из { $all } шагов; сначала он будет закончен

key-yes = д
key-no = н
ask-do = Сделать это?
ask-optional = Взять ещё { $mod }? Играть можно и без него.
ask-finish = Закончить?
ask-other = Следовать теперь за новым, а не за прежним?
ask-root = Разрешить заниматься и этой папкой?
ask-trust = Вы настолько доверяете тому, кто вас пригласил?
ask-anyway = { $error }. Это всё равно папка игры?

plan = { $game }: нужно вот что (записать { $size }):
change-new = новый
change-other = изменён
change-mended = исправлен
change-gone = убран
change-renamed = новое имя
change-kept = сохранён
more-mods = { $count ->
    [one] и ещё { $count } мод
    [few] и ещё { $count } мода
   *[other] и ещё { $count } модов
}
not-on-server = на сервере его нет

word-done = готово
word-in-line = в порядке
word-still-off = ещё не так
word-fetched = получено
done = { $word }: { $game } совпадает с { $server }
done-partly = { $word }: всё, что можно сделать отсюда
in-line = { $game } { $word }: как на { $server }
still-off = { $word } в { $game }, и отсюда это не исправить:
take-back = вернуть как было: { $command }
after-update = после следующего обновления: { $command }
do-this = выполните: { $command }
kept-in = что было, лежит в { $folder }
fetched = { $word }: { $size } на { $files }
fetched-reused = { $size } частями уже были здесь
files = { $count ->
    [one] { $count } файл
    [few] { $count } файла
   *[other] { $count } файлов
}

join-hello = Привет! Вас пригласили играть, и эта программа подготовит вашу игру.
join-safe = Ничего не изменится, пока вы не согласитесь, и всё можно вернуть.
join-where = Где ваша игра? Введите номер или папку; папку можно перетащить в это окно. Просто Enter — выйти.
join-looks-like-it = { $folder } (похоже на игру)
join-no-folder = Здесь нет папки { $folder }.
join-no-number = Здесь нет ничего под номером { $number }.
join-menu = { $game } уже известна. Что теперь? Просто Enter — это 1.
join-menu-ready = Подготовить к входу
join-menu-undo = Вернуть последнее изменение
join-menu-put-back = Вернуть то, что было отложено
join-menu-report = Записать файл для того, кто вам помогает
join-menu-other = Игра в другой папке
join-menu-leave = Выйти
join-ready = Теперь можно входить. Приятной игры!
join-again = Запустите эту программу снова после обновления сервера или чтобы вернуть всё назад.
join-as-known = Ваша игра такая, какой её хотел сервер, когда его в последний раз удалось спросить. Возможно, теперь он хочет другого.
join-not-ready = Войти пока нельзя. Чего не хватает, написано выше.
join-nothing-changed = Ничего не изменено.
join-report = Пошлите этот файл тому, кто вам помогает: { $file }
join-aside = Это было отложено. Что вернуть? Введите номер; просто Enter — выйти.
join-aside-none = Здесь ничего не откладывали.
join-aside-taken = На месте { $path } теперь другое, и оно останется.
join-put-back = { $path } снова на месте. Если на сервере этого нет, следующее обновление снова это отложит.
join-taken-back = Последнее изменение возвращено.
join-close = Нажмите Enter, чтобы закрыть окно.
