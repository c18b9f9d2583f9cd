release-number = versión { $number }
release = { $release } de { $name }, publicada el { $day }
ends-soon = nota: sus firmas terminan el { $day }; dile a quien te invitó que debe publicarla de nuevo
unreachable = nota: no se llega a { $address } ({ $reason }); vale lo que decía la última vez
followed-before = nota: hasta ahora este juego seguía { $invite }
nothing-yet = nota: en esta carpeta todavía no hay nada de { $game }
looks-after = nota: de tu juego se ocupa de los mods en { $folders }; de nada más
looks-after-more = nota: de tu juego se ocupa de los mods en { $folders }, y cambia lo que les pertenece en { $others }; nada más
own-folder = la carpeta propia del juego
other-version = nota: { $what } es { $here } aquí y { $there } en el servidor: mientras no sea igual, no puedes entrar, tengas los mods que tengas
what-game = el juego
what-loader = el cargador de sus mods
what-runtime = aquello sobre lo que corre el juego
root-beyond = nota: entre ellas está la carpeta propia del juego, donde están sus programas, y no solo carpetas de mods
programs-beyond = nota: pondría o cambiaría { $programs } fuera de las carpetas de mods:
programs = { $count ->
    [one] 1 programa o script
   *[other] { $count } programas o scripts
}
beyond-later = nota: eso se preguntará aparte; sin terminal hace falta --beyond-mods
beyond-nobody = no se hizo nada, porque no se pudo preguntar a nadie; si confías hasta ahí en quien te invitó, añade --beyond-mods
interrupted = la última vez se interrumpió tras { $done } de { $all } pasos; primero se termina

key-yes = s
key-no = n
ask-do = ¿Hacerlo?
ask-optional = ¿Llevar también { $mod }? Se puede jugar sin él.
ask-finish = ¿Terminarlo?
ask-other = ¿Seguir desde ahora lo nuevo, y ya no lo de antes?
ask-root = ¿Dejar que se ocupe también de esa carpeta?
ask-trust = ¿Confías hasta ahí en quien te invitó?
ask-anyway = { $error }. ¿Es de todos modos la carpeta del juego?

plan = { $game } necesita esto ({ $size } por escribir):
change-new = nuevo
change-other = cambiado
change-mended = reparado
change-gone = retirado
change-renamed = renombrado
change-kept = guardado
more-mods = { $count ->
    [one] y 1 mod más
   *[other] y { $count } mods más
}
not-on-server = el servidor no lo tiene

word-done = hecho
word-in-line = al día
word-still-off = aún mal
word-fetched = descargado
done = { $word }: { $game } está al día con { $server }
done-partly = { $word }: todo lo que se puede desde aquí
in-line = { $game } está { $word } con { $server }
still-off = { $word } en { $game }, y no se puede arreglar desde aquí:
take-back = deshacerlo con: { $command }
after-update = tras la próxima actualización: { $command }
do-this = haz: { $command }
kept-in = lo que había está guardado en { $folder }
fetched = { $word }: { $size } para { $files }
fetched-reused = { $size } en trozos ya estaban aquí
files = { $count ->
    [one] 1 archivo
   *[other] { $count } archivos
}

join-hello = ¡Hola! Te han invitado a jugar, y esto prepara tu juego.
join-safe = Nada cambia antes de que digas que sí, y todo se puede deshacer.
join-where = ¿Dónde está tu juego? Escribe un número o la carpeta; puedes arrastrar la carpeta a esta ventana. Solo Enter para salir.
join-looks-like-it = { $folder } (parece el juego)
join-no-folder = Aquí no hay ninguna carpeta { $folder }.
join-no-number = Nada aquí tiene el número { $number }.
join-menu = { $game } ya se conoce. ¿Y ahora? Solo Enter es 1.
join-menu-ready = Prepararlo para entrar
join-menu-undo = Deshacer el último cambio
join-menu-put-back = Recuperar algo que se apartó
join-menu-report = Escribir un archivo para quien te ayuda
join-menu-other = El juego está en otra carpeta
join-menu-leave = Salir
join-ready = Ya puedes entrar. ¡Que lo disfrutes!
join-again = Inicia este programa otra vez tras una actualización del servidor, o para deshacer esto.
join-as-known = Tu juego está como el servidor lo quería cuando se le pudo preguntar por última vez. Puede que ahora quiera otra cosa.
join-not-ready = Todavía no puedes entrar. Lo que falta está arriba.
join-nothing-changed = No se cambió nada.
join-report = Envía este archivo a quien te ayuda: { $file }
join-aside = Esto se apartó. ¿Qué quieres recuperar? Escribe un número; solo Enter para salir.
join-aside-none = Aquí no se apartó nada.
join-aside-taken = Ahora hay otra cosa en { $path }, y se queda.
join-put-back = { $path } está de vuelta. Si el servidor no lo tiene, la próxima actualización lo apartará otra vez.
join-taken-back = El último cambio está deshecho.
join-close = Pulsa Enter para cerrar esta ventana.
